"""The workspace as a whole, and what can be chosen in it."""

from __future__ import annotations

from pydantic import Field

from pellux.learners.catalogue import learner
from pellux.service.catalogue import catalogue, learner_view
from pellux.service.requests import Request
from pellux.service.spaces import ComparisonRequest, SpaceRequest, check_space, compare
from pellux.service.status import workspace_view
from pellux.service.views import CatalogueView, ComparisonView, LearnerView, SpaceView, WorkspaceView
from pellux.web.api import Api
from pellux.web.context import bench


class LearnerQuery(Request):
    key: str = Field(description="A learner's key, or several: 'logistic | forest *2'.")
    task: str


def add(api: Api) -> None:
    @api.operation("GET", "/workspace", returns=WorkspaceView)
    def get_workspace() -> WorkspaceView:
        """Version, workers and running searches."""
        return workspace_view(bench().room)

    @api.operation("GET", "/catalogue", returns=CatalogueView)
    def get_catalogue() -> CatalogueView:
        """Metrics, learners with their settings, strategies."""
        return catalogue()

    @api.operation("GET", "/learners", query=LearnerQuery, returns=LearnerView)
    def get_learner(query: LearnerQuery) -> LearnerView:
        """A learner for a task, or several as one."""
        return learner_view(learner(query.key, query.task))

    @api.operation("POST", "/spaces/check", body=SpaceRequest, returns=SpaceView)
    def post_space_check(body: SpaceRequest) -> SpaceView:
        """Both forms of a space and sample draws, or its first mistake."""
        return check_space(body)

    @api.operation("POST", "/spaces/compare", body=ComparisonRequest, returns=ComparisonView)
    def post_space_comparison(body: ComparisonRequest) -> ComparisonView:
        """What changed from one space to another."""
        return compare(body)
