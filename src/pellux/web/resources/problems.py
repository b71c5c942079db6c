"""Problems and their briefs."""

from __future__ import annotations

from pydantic import Field

from pellux.service.planning.requests import BriefRequest, Request, Tags
from pellux.service.problems import problems
from pellux.service.problems.schemas import FindingView, PreviewView, ProblemView, SplitView
from pellux.service.searches.baselines import BaselinesRequest, baselines, forget_baselines, score_baselines
from pellux.service.searches.schemas import BaselineView
from pellux.web.api import Api
from pellux.web.context import server


class DerivedQuery(Request):
    derived_from: int | None = Field(None, description="The problem that this one was changed from.")
    reuse: bool = Field(False, description="An existing problem of the same brief serves again.")


class LabelRequest(Request):
    name: str | None = Field(None, min_length=1, max_length=200)
    tags: Tags | None = None


def add(api: Api) -> None:
    @api.operation("GET", "/problems", returns=list[ProblemView])
    def get_problems() -> list[ProblemView]:
        """Every problem, newest first."""
        return problems.list_problems(server().engine.workspace)

    @api.operation("POST", "/problems", body=BriefRequest, query=DerivedQuery, returns=ProblemView, status=201)
    def post_problem(body: BriefRequest, query: DerivedQuery) -> ProblemView:
        """Frame a new problem."""
        made = problems.create_problem(server().engine.workspace, body, reuse=query.reuse, derived_from=query.derived_from)
        return problems.problem_view(server().engine.workspace, made)

    @api.operation("POST", "/briefs/preview", body=BriefRequest, returns=PreviewView)
    def post_brief_preview(body: BriefRequest) -> PreviewView:
        """What a brief would become: task, metric, folds. Nothing is kept."""
        return problems.preview(server().engine.workspace, body)

    @api.operation("GET", "/problems/<int:problem_id>", returns=ProblemView)
    def get_problem(problem_id: int) -> ProblemView:
        """One problem with its best trial and baseline."""
        return problems.problem_view(server().engine.workspace, problem_id)

    @api.operation("PUT", "/problems/<int:problem_id>/brief", body=BriefRequest, returns=ProblemView)
    def put_brief(problem_id: int, body: BriefRequest) -> ProblemView:
        """Change a brief that no search uses yet; its baselines are forgotten."""
        forget_baselines(server().engine, problem_id)
        problems.change_problem(server().engine.workspace, problem_id, body)
        return problems.problem_view(server().engine.workspace, problem_id)

    @api.operation("PUT", "/problems/<int:problem_id>/label", body=LabelRequest, returns=ProblemView)
    def put_label(problem_id: int, body: LabelRequest) -> ProblemView:
        """Rename or tag a problem."""
        problems.label_problem(server().engine.workspace, problem_id, body.name, body.tags)
        return problems.problem_view(server().engine.workspace, problem_id)

    @api.operation("GET", "/problems/<int:problem_id>/split", returns=SplitView)
    def get_split(problem_id: int) -> SplitView:
        """The stored folds as numbers to draw."""
        return problems.split_view(server().engine.workspace, problem_id)

    @api.operation("GET", "/problems/<int:problem_id>/findings", returns=list[FindingView])
    def get_findings(problem_id: int) -> list[FindingView]:
        """The leak check of a problem."""
        return problems.findings(server().engine.workspace, problem_id)

    @api.operation("GET", "/problems/<int:problem_id>/baselines", returns=list[BaselineView])
    def get_baselines(problem_id: int) -> list[BaselineView]:
        """The default configurations that were scored or are on their way, best first."""
        return baselines(server().engine.workspace, problem_id)

    @api.operation("POST", "/problems/<int:problem_id>/baselines", body=BaselinesRequest, returns=list[BaselineView], status=202)
    def post_baselines(problem_id: int, body: BaselinesRequest) -> list[BaselineView]:
        """Score the defaults of learners in the background."""
        return score_baselines(server().engine, problem_id, body)
