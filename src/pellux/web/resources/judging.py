"""What a choice rests on: finalists, re-judging, honest score, diagnostics, holdout."""

from __future__ import annotations

from pellux.service.decisions import diagnostics, finalists, judgements, rejudging, shortlisting
from pellux.service.decisions.candidates import FinalistsQuery
from pellux.service.decisions.judgements import OpeningRequest
from pellux.service.decisions.rejudging import RejudgeRequest
from pellux.service.decisions.schemas import (
    DiagnosticsView,
    FinalistsView,
    HoldoutView,
    HonestScoreView,
    ImportanceView,
    ShortlistView,
    TreeView,
)
from pellux.service.decisions.shortlisting import ShortlistRequest
from pellux.service.searches import searches
from pellux.service.searches.schemas import SearchView
from pellux.web.api import Api
from pellux.web.context import server


def add(api: Api) -> None:
    @api.operation("GET", "/problems/<int:problem_id>/finalists", query=FinalistsQuery, returns=FinalistsView)
    def get_finalists(problem_id: int, query: FinalistsQuery) -> FinalistsView:
        """The best trials of all searches, the shortlist and the baselines, compared, with what the rules say."""
        return finalists.finalists(server().engine.workspace, problem_id, query)

    @api.operation("PUT", "/problems/<int:problem_id>/shortlist", body=ShortlistRequest, returns=ShortlistView)
    def put_shortlist(problem_id: int, body: ShortlistRequest) -> ShortlistView:
        """Put trials on the shortlist by rule, or empty it."""
        return ShortlistView(shortlisted=shortlisting.shortlist(server().engine.workspace, problem_id, body))

    @api.operation("POST", "/problems/<int:problem_id>/rejudgings", body=RejudgeRequest, returns=SearchView, status=201)
    def post_rejudging(problem_id: int, body: RejudgeRequest) -> SearchView:
        """Judge finalists again on fresh repeated splits."""
        return searches.search_view(server().engine, rejudging.rejudge(server().engine, problem_id, body))

    @api.operation("POST", "/problems/<int:problem_id>/honest-score", returns=HonestScoreView)
    def post_honest_score(problem_id: int) -> HonestScoreView:
        """What to expect of the best of all scored trials: known already, or its computation started."""
        return judgements.ask_honest_score(server().engine, problem_id)

    @api.operation("GET", "/problems/<int:problem_id>/holdout", returns=list[HoldoutView])
    def get_holdout(problem_id: int) -> list[HoldoutView]:
        """Every opening of the holdout, first one first."""
        return judgements.openings(server().engine.workspace, problem_id)

    @api.operation("POST", "/problems/<int:problem_id>/holdout", body=OpeningRequest, returns=list[HoldoutView], status=201)
    def post_holdout(problem_id: int, body: OpeningRequest) -> list[HoldoutView]:
        """Open the holdout for one trial; logged for ever."""
        judgements.open_holdout(server().engine, problem_id, body)
        return judgements.openings(server().engine.workspace, problem_id)

    @api.operation("GET", "/trials/<int:trial_id>/diagnostics", returns=DiagnosticsView)
    def get_diagnostics(trial_id: int) -> DiagnosticsView:
        """A trial's out-of-fold predictions beside the baseline's."""
        return diagnostics.diagnostics(server().engine.workspace, trial_id)

    @api.operation("POST", "/trials/<int:trial_id>/importance", returns=ImportanceView)
    def post_importance(trial_id: int) -> ImportanceView:
        """How much the model leans on each column: known already, or its computation started."""
        return judgements.ask_importance(server().engine, trial_id)

    @api.operation("POST", "/trials/<int:trial_id>/tree", returns=TreeView)
    def post_tree(trial_id: int) -> TreeView:
        """A decision tree as questions: known already, or its fit started."""
        return judgements.ask_tree(server().engine, trial_id)
