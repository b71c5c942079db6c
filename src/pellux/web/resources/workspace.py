"""The workspace as a whole, and what can be chosen in it."""

from __future__ import annotations

from pydantic import Field

from pellux.demo.workspace import lay_out
from pellux.service.engine.schemas import DemoView, TrustView, WorkspaceView
from pellux.service.engine.status import workspace_view
from pellux.service.planning.catalogue import catalogue, described_learner
from pellux.service.planning.requests import Request
from pellux.service.planning.schemas import CatalogueView, ComparisonView, LearnerView, SpaceView
from pellux.service.planning.spaces import ComparisonRequest, SpaceRequest, check_space, compare
from pellux.service.trust import trust
from pellux.web.api import Api
from pellux.web.context import server


class LearnerQuery(Request):
    key: str = Field(description="A learner's key, or several: 'logistic | forest *2'.")
    task: str


def add(api: Api) -> None:
    @api.operation("GET", "/workspace", returns=WorkspaceView)
    def get_workspace() -> WorkspaceView:
        """Version, workers and running searches."""
        return workspace_view(server().engine, logged_in=server().guard.token is not None)

    @api.operation("POST", "/workspace/trust", returns=TrustView)
    def post_trust() -> TrustView:
        """A person's word: the own code that stands in this workspace now may run."""
        return TrustView(allowed=trust(server().engine.workspace))

    @api.operation("POST", "/workspace/demo", returns=DemoView)
    def post_demo() -> DemoView:
        """Lay the demo's problems out in an empty workspace, and begin their searches."""
        return DemoView(problems=lay_out(server().engine))

    @api.operation("GET", "/catalogue", returns=CatalogueView)
    def get_catalogue() -> CatalogueView:
        """Metrics, learners with their settings, strategies."""
        return catalogue(server().engine.workspace)

    @api.operation("GET", "/learners", query=LearnerQuery, returns=LearnerView)
    def get_learner(query: LearnerQuery) -> LearnerView:
        """A learner for a task, or several as one."""
        return described_learner(server().engine.workspace, query.key, query.task)

    @api.operation("POST", "/spaces/check", body=SpaceRequest, returns=SpaceView)
    def post_space_check(body: SpaceRequest) -> SpaceView:
        """Both forms of a space and sample draws, or its first mistake."""
        return check_space(server().engine.workspace, body)

    @api.operation("POST", "/spaces/compare", body=ComparisonRequest, returns=ComparisonView)
    def post_space_comparison(body: ComparisonRequest) -> ComparisonView:
        """What changed from one space to another."""
        return compare(body)
