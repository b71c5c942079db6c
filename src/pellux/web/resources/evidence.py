"""What the trials of a search say."""

from __future__ import annotations

from pellux.service.evidence.evidence import ask_evidence, ask_surface
from pellux.service.evidence.measuring import measure_path
from pellux.service.evidence.schemas import EvidenceView, SpendingView, SurfaceRequest, SurfaceView
from pellux.service.evidence.spending import spending
from pellux.service.searches.schemas import SearchView
from pellux.service.searches.searches import search_view
from pellux.web.api import Api
from pellux.web.context import server


def add(api: Api) -> None:
    @api.operation("POST", "/searches/<int:search_id>/evidence", returns=EvidenceView)
    def post_search_evidence(search_id: int) -> EvidenceView:
        """What its trials say, over its space, with findings: known already, or its computation started."""
        return ask_evidence(server().engine, search_id)

    @api.operation("POST", "/searches/<int:search_id>/surface", body=SurfaceRequest, returns=SurfaceView)
    def post_search_surface(search_id: int, body: SurfaceRequest) -> SurfaceView:
        """The score over two of its settings: known already, or its computation started."""
        return ask_surface(server().engine, search_id, body)

    @api.operation("POST", "/searches/<int:search_id>/path", returns=SearchView, status=201)
    def post_path_search(search_id: int) -> SearchView:
        """Measure the way from the usual settings to the best: a search of the steps that no trial has been at."""
        return search_view(server().engine, measure_path(server().engine, search_id))

    @api.operation("GET", "/problems/<int:problem_id>/spending", returns=SpendingView)
    def get_problem_spending(problem_id: int) -> SpendingView:
        """What its searches made of their time, side by side."""
        return spending(server().engine.workspace, problem_id)
