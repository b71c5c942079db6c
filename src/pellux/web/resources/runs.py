"""Whole plans: what `pellux run` hands to a server that holds the workspace."""

from __future__ import annotations

from typing import Any

from pydantic import RootModel

from pellux.service.requests import PlanFile
from pellux.service.runs import begin
from pellux.service.searches import search_view, summary
from pellux.service.views import SearchView
from pellux.web.api import Api
from pellux.web.context import bench


class SummaryView(RootModel[dict[str, Any]]):
    """What `pellux run --json` ends with."""


def add(api: Api) -> None:
    @api.operation("POST", "/runs", body=PlanFile, returns=SearchView, status=201)
    def post_run(body: PlanFile) -> SearchView:
        """Run a plan whose data are imported already: a new search, or the unfinished one of the same plan."""
        return search_view(bench().room, begin(bench().room, body))

    @api.operation("GET", "/searches/<int:search_id>/summary", returns=SummaryView)
    def get_summary(search_id: int) -> SummaryView:
        """The outcome in one object."""
        return SummaryView(summary(bench().room, search_id))
