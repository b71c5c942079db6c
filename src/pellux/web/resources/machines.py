"""Clusters whose machines may do fits, and where the workers of a search are."""

from __future__ import annotations

from pellux.service.machines import views
from pellux.service.machines.schemas import ClusterRequest, ClusterView
from pellux.service.searches import waiting
from pellux.service.searches.schemas import WaitingView
from pellux.web.api import Api
from pellux.web.context import server


def add(api: Api) -> None:
    @api.operation("GET", "/clusters", returns=list[ClusterView])
    def get_clusters() -> list[ClusterView]:
        """The clusters that were named here, with their machines."""
        return views.clusters_view(server().engine.workspace)

    @api.operation("POST", "/clusters", body=ClusterRequest, returns=ClusterView)
    def post_cluster(body: ClusterRequest) -> ClusterView:
        """Connect a cluster: from then on searches may run on it."""
        return views.connect(server().engine.workspace, body.address)

    @api.operation("POST", "/clusters/forget", body=ClusterRequest, returns=list[ClusterView])
    def post_cluster_forget(body: ClusterRequest) -> list[ClusterView]:
        """Have done with a cluster: searches on it pause."""
        server().engine.let_go(body.address)
        return views.clusters_view(server().engine.workspace)

    @api.operation("GET", "/searches/<int:search_id>/waiting", returns=WaitingView)
    def get_waiting(search_id: int) -> WaitingView:
        """Where its workers are, what they wait for, and how many it can use."""
        return waiting.waiting_view(server().engine, search_id)
