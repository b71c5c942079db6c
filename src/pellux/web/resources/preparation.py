"""Before a launch: forecast, rehearsal, what is known from elsewhere, a plan once more."""

from __future__ import annotations

from pydantic import Field

from pellux.service.planning import forecasts, launching, rehearsals
from pellux.service.planning.prior_knowledge import PastResultsRequest, keep_past_results
from pellux.service.planning.requests import Request, SearchRequest
from pellux.service.planning.schemas import ForecastView, PastResultsView, RehearsalView
from pellux.service.searches import searches
from pellux.service.searches.schemas import SearchView
from pellux.web.api import Api
from pellux.web.context import server


class RepeatRequest(Request):
    """A kept plan once more, with values changed for this launch alone."""

    overrides: list[str] = Field([], description="key=value, such as plan.trials=10; kept with the new search.")


def add(api: Api) -> None:
    @api.operation("POST", "/problems/<int:problem_id>/forecast", body=SearchRequest, returns=ForecastView)
    def post_forecast(problem_id: int, body: SearchRequest) -> ForecastView:
        """Validate a search and say what it would do and how long it would take."""
        return forecasts.forecast(server().engine.workspace, problem_id, body)

    @api.operation("POST", "/problems/<int:problem_id>/rehearsals", body=SearchRequest, returns=RehearsalView)
    def post_rehearsal(problem_id: int, body: SearchRequest) -> RehearsalView:
        """Run a few cheap fits of a search, and forecast it by what they cost."""
        workspace = server().engine.workspace
        fits = rehearsals.rehearse(workspace, problem_id, body)
        return RehearsalView(fits=fits, forecast=forecasts.forecast(workspace, problem_id, body))

    @api.operation("POST", "/problems/<int:problem_id>/past-results", body=PastResultsRequest, returns=PastResultsView, status=201)
    def post_past_results(problem_id: int, body: PastResultsRequest) -> PastResultsView:
        """Keep results from elsewhere for warm starts; they are never ranked."""
        return keep_past_results(server().engine.workspace, problem_id, body)

    @api.operation("POST", "/searches/<int:search_id>/repeats", body=RepeatRequest, returns=SearchView, status=201)
    def post_repeat(search_id: int, body: RepeatRequest) -> SearchView:
        """Launch a search's plan once more, with overrides."""
        return searches.search_view(server().engine, launching.repeat(server().engine, search_id, body.overrides))
