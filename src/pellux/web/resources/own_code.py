"""People's own learners and metrics."""

from __future__ import annotations

from pellux.service.problems.own_code import OwnCodeRequest, bring, list_own
from pellux.service.problems.schemas import OwnCodeView
from pellux.web.api import Api
from pellux.web.context import server


def add(api: Api) -> None:
    @api.operation("GET", "/own-code", returns=list[OwnCodeView])
    def get_own_code() -> list[OwnCodeView]:
        """Own learners and metrics of this workspace."""
        return list_own(server().engine.workspace)

    @api.operation("POST", "/own-code", body=OwnCodeRequest, returns=OwnCodeView, status=201)
    def post_own_code(body: OwnCodeRequest) -> OwnCodeView:
        """Look at a class or a function in an allowed folder, and make it known."""
        return bring(server().engine.workspace, body)
