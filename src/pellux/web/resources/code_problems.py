"""Problems whose fits are people's own code."""

from __future__ import annotations

from pydantic import Field

from pellux.service.planning.code_requests import CodeBriefRequest, FirstLookRequest, HelpRequest
from pellux.service.planning.request import Request
from pellux.service.problems import code_problems, problems
from pellux.service.problems.schemas import FirstLookView, HelpView, ProblemView
from pellux.web.api import Api
from pellux.web.context import server


class CodeProblemRequest(Request):
    """A problem of own code, and where its searches begin."""

    brief: CodeBriefRequest
    space: str = Field("", max_length=100_000, description="Space notation: where a new search begins.")


class ReuseQuery(Request):
    reuse: bool = Field(False, description="An existing problem of the same brief and code serves again.")


def add(api: Api) -> None:
    @api.operation("GET", "/own-code/folders", returns=list[str])
    def get_folders() -> list[str]:
        """The folders from which own code may be run."""
        return [str(folder) for folder in server().engine.workspace.allowed]

    @api.operation("POST", "/own-code/help", body=HelpRequest, returns=HelpView)
    def post_help(body: HelpRequest) -> HelpView:
        """Run a program's --help: a command with placeholders and a space to begin with."""
        return code_problems.read_help(server().engine.workspace, body)

    @api.operation("POST", "/own-code/first-look", body=FirstLookRequest, returns=FirstLookView)
    def post_first_look(body: FirstLookRequest) -> FirstLookView:
        """One real fit at the smallest level: what it printed beside what was read from it. Nothing is kept."""
        return code_problems.look_first(server().engine.workspace, body)

    @api.operation("POST", "/own-code/problems", body=CodeProblemRequest, query=ReuseQuery, returns=ProblemView, status=201)
    def post_code_problem(body: CodeProblemRequest, query: ReuseQuery) -> ProblemView:
        """Frame a new problem of own code."""
        made = code_problems.create_code_problem(server().engine.workspace, body.brief, body.space, reuse=query.reuse)
        return problems.problem_view(server().engine.workspace, made)

    @api.operation("PUT", "/own-code/problems/<int:problem_id>", body=CodeProblemRequest, returns=ProblemView)
    def put_code_problem(problem_id: int, body: CodeProblemRequest) -> ProblemView:
        """Change a brief of own code that no search uses yet."""
        code_problems.change_code_problem(server().engine.workspace, problem_id, body.brief, body.space)
        return problems.problem_view(server().engine.workspace, problem_id)
