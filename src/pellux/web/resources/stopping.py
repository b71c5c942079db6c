"""Early stopping: curves and rungs of a search, and whether pruning was right."""

from __future__ import annotations

from pellux.service.searches import curves, safety, searches
from pellux.service.searches.safety import SafetyRequest
from pellux.service.searches.schemas import CurvesView, SafetyView, SearchView
from pellux.web.api import Api
from pellux.web.context import server


def add(api: Api) -> None:
    @api.operation("GET", "/searches/<int:search_id>/curves", returns=CurvesView)
    def get_curves(search_id: int) -> CurvesView:
        """How trials come along: score against what was spent on them, rungs, lineage."""
        return curves.curves(server().engine.workspace, search_id)

    @api.operation("POST", "/searches/<int:search_id>/safety", body=SafetyRequest, returns=SearchView, status=201)
    def post_safety(search_id: int, body: SafetyRequest) -> SearchView:
        """Run a few pruned trials in full, to see how often pruning was wrong."""
        return searches.search_view(server().engine, safety.check(server().engine, search_id, body))

    @api.operation("GET", "/searches/<int:search_id>/safety", returns=SafetyView)
    def get_safety(search_id: int) -> SafetyView:
        """What safety checks have found."""
        return safety.report(server().engine.workspace, search_id)
