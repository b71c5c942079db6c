"""What the trials of a search say."""

from __future__ import annotations

from flask import Response

from pellux.service.evidence import faceoffs
from pellux.service.evidence.evidence import ask_evidence, ask_surface
from pellux.service.evidence.faceoff_schemas import FaceOffRequest, FaceOffStateRequest, FaceOffView, PlannedFaceOffRequest
from pellux.service.evidence.measuring import measure_path
from pellux.service.evidence.schemas import EvidenceView, SpendingView, SurfaceRequest, SurfaceView
from pellux.service.evidence.spending import spending
from pellux.service.evidence.standings import as_csv, export_faceoff, faceoff_view, list_faceoffs
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

    @api.operation("POST", "/problems/<int:problem_id>/face-offs", body=FaceOffRequest, returns=FaceOffView, status=201)
    def post_faceoff(problem_id: int, body: FaceOffRequest) -> FaceOffView:
        """Set ways to search against each other: fitted, run after run, or replayed on a model of the trials."""
        return faceoff_view(server().engine, faceoffs.begin(server().engine, problem_id, body))

    @api.operation("POST", "/face-offs", body=PlannedFaceOffRequest, returns=FaceOffView, status=201)
    def post_planned_faceoff(body: PlannedFaceOffRequest) -> FaceOffView:
        """The same over a plan that need not be run: its problem is framed, if it is not known, from data that are imported."""
        return faceoff_view(server().engine, faceoffs.begin_planned(server().engine, body.plan, body))

    @api.operation("GET", "/problems/<int:problem_id>/face-offs", returns=list[FaceOffView])
    def get_faceoffs(problem_id: int) -> list[FaceOffView]:
        """The problem's face-offs, newest first."""
        return list_faceoffs(server().engine, problem_id)

    @api.operation("GET", "/face-offs/<int:faceoff_id>", returns=FaceOffView)
    def get_faceoff(faceoff_id: int) -> FaceOffView:
        """A face-off as it stands."""
        return faceoff_view(server().engine, faceoff_id)

    @api.operation("PUT", "/face-offs/<int:faceoff_id>/state", body=FaceOffStateRequest, returns=FaceOffView)
    def put_faceoff_state(faceoff_id: int, body: FaceOffStateRequest) -> FaceOffView:
        """Pause it, go on with it, or stop it for good."""
        faceoffs.set_state(server().engine, faceoff_id, body.state)
        return faceoff_view(server().engine, faceoff_id)

    @api.operation("GET", "/face-offs/<int:faceoff_id>/trials", produces="text/csv")
    def get_faceoff_trials(faceoff_id: int) -> Response:
        """Every trial of every run, as CSV."""
        text = as_csv(export_faceoff(server().engine.workspace, faceoff_id))
        headers = {"Content-Disposition": f'attachment; filename="face-off-{faceoff_id}.csv"'}
        return Response(text, mimetype="text/csv", headers=headers)
