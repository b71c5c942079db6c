"""Whole plans: what `pellux run` hands to a server that holds the workspace."""

from __future__ import annotations

from typing import Any

from pydantic import RootModel

from pellux.service.planning.requests import PlanFile
from pellux.service.searches.plans import begin
from pellux.service.searches.schemas import SearchView
from pellux.service.searches.searches import search_view, summary
from pellux.web.api import Api
from pellux.web.context import server


class SummaryView(RootModel[dict[str, Any]]):
    """What `pellux run --json` ends with."""


def add(api: Api) -> None:
    @api.operation("POST", "/runs", body=PlanFile, returns=SearchView, status=201)
    def post_run(body: PlanFile) -> SearchView:
        """Run a plan whose data are imported already: a new search, or the unfinished one of the same plan."""
        return search_view(server().engine, begin(server().engine, body))

    @api.operation("GET", "/searches/<int:search_id>/summary", returns=SummaryView)
    def get_summary(search_id: int) -> SummaryView:
        """The outcome in one object."""
        return SummaryView(summary(server().engine, search_id))
