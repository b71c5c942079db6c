"""Searches: launch, steer, look at, take away."""

from __future__ import annotations

from typing import Literal

from flask import Response, current_app
from pydantic import Field

from pellux.service.planning import launching
from pellux.service.planning.requests import LimitsRequest, Request, SearchRequest
from pellux.service.searches import searches, trials
from pellux.service.searches.schemas import LanesView, PageQuery, PointsView, SearchView, TrialPage
from pellux.web.api import Api
from pellux.web.context import server


class StateRequest(Request):
    state: Literal["running", "paused", "stopped"]


class WorkersRequest(Request):
    count: int = Field(ge=1, le=searches.MOST_ON_CLUSTER)


class TryRequest(Request):
    """A trial by hand; settings left out take the learner's defaults."""

    configuration: dict[str, bool | int | float | str]


def add(api: Api) -> None:
    @api.operation("GET", "/problems/<int:problem_id>/searches", returns=list[SearchView])
    def get_searches(problem_id: int) -> list[SearchView]:
        """The searches of a problem, newest first."""
        return searches.list_searches(server().engine, problem_id)

    @api.operation("POST", "/problems/<int:problem_id>/searches", body=SearchRequest, returns=SearchView, status=201)
    def post_search(problem_id: int, body: SearchRequest) -> SearchView:
        """Launch a search."""
        return searches.search_view(server().engine, launching.launch(server().engine, problem_id, body))

    @api.operation("GET", "/searches/<int:search_id>", returns=SearchView)
    def get_search(search_id: int) -> SearchView:
        """One search with its counts, best and baseline."""
        return searches.search_view(server().engine, search_id)

    @api.operation("PUT", "/searches/<int:search_id>/state", body=StateRequest, returns=SearchView)
    def put_search_state(search_id: int, body: StateRequest) -> SearchView:
        """Pause, resume or stop."""
        searches.set_state(server().engine, search_id, body.state)
        return searches.search_view(server().engine, search_id)

    @api.operation("PUT", "/searches/<int:search_id>/workers", body=WorkersRequest, returns=SearchView)
    def put_search_workers(search_id: int, body: WorkersRequest) -> SearchView:
        """Change the number of workers while the search runs."""
        searches.set_workers(server().engine, search_id, body.count)
        return searches.search_view(server().engine, search_id)

    @api.operation("PUT", "/searches/<int:search_id>/budget", body=LimitsRequest, returns=SearchView)
    def put_search_budget(search_id: int, body: LimitsRequest) -> SearchView:
        """Raise, lower or take away budgets while the search runs."""
        searches.set_limits(server().engine, search_id, body)
        return searches.search_view(server().engine, search_id)

    @api.operation("POST", "/searches/<int:search_id>/trials", body=TryRequest, returns=SearchView, status=201)
    def post_trial(search_id: int, body: TryRequest) -> SearchView:
        """Try a configuration by hand."""
        searches.try_configuration(server().engine, search_id, dict(body.configuration))
        return searches.search_view(server().engine, search_id)

    @api.operation("GET", "/searches/<int:search_id>/trials", query=PageQuery, returns=TrialPage)
    def get_trials(search_id: int, query: PageQuery) -> TrialPage:
        """A page of trials, sorted and filtered."""
        return trials.trial_page(server().engine.workspace, search_id, query)

    @api.operation("GET", "/searches/<int:search_id>/points", returns=PointsView)
    def get_points(search_id: int) -> PointsView:
        """Every ended trial, column-wise, for charts."""
        return trials.points(server().engine.workspace, search_id)

    @api.operation("GET", "/searches/<int:search_id>/lanes", returns=LanesView)
    def get_lanes(search_id: int) -> LanesView:
        """The newest fits with their worker lane and times."""
        return trials.lanes(server().engine.workspace, search_id)

    @api.operation("GET", "/searches/<int:search_id>/export/<format>", produces="application/octet-stream")
    def get_export(search_id: int, format: str) -> Response:
        """Every trial as csv, jsonl or parquet."""
        body = trials.export(server().engine.workspace, search_id, format)
        name = f"pellux-search-{search_id}.{format}"
        headers = {"Content-Disposition": f'attachment; filename="{name}"'}
        return current_app.response_class(body, mimetype=trials.EXPORTS[format], headers=headers)
