"""Fits for outside loops."""

from __future__ import annotations

from pellux.service.engine import leases
from pellux.service.engine.leases import GoOnView, LeasesView, OutcomeRequest, PointsRequest, TakeRequest
from pellux.web.api import Api
from pellux.web.context import server


def add(api: Api) -> None:
    @api.operation("POST", "/searches/<int:search_id>/leases", body=TakeRequest, returns=LeasesView, status=201)
    def post_leases(search_id: int, body: TakeRequest) -> LeasesView:
        """Take fits of a search of an outside loop."""
        return leases.take(server().engine, search_id, body)

    @api.operation("PUT", "/leases/<lease_id>", returns=GoOnView)
    def put_lease(lease_id: str) -> GoOnView:
        """A sign of life: keeps a lease, and says whether to go on."""
        return leases.beat(server().engine, lease_id)

    @api.operation("PUT", "/leases/<lease_id>/points", body=PointsRequest, returns=GoOnView)
    def put_lease_points(lease_id: str, body: PointsRequest) -> GoOnView:
        """Tell scores on the way; says whether to go on."""
        return leases.tell(server().engine, lease_id, body)

    @api.operation("PUT", "/leases/<lease_id>/outcome", body=OutcomeRequest)
    def put_lease_outcome(lease_id: str, body: OutcomeRequest) -> None:
        """The one answer for a lease: a score or an error. A late or second one is refused."""
        leases.done(server().engine, lease_id, body)
