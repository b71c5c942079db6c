"""What the trials of a search say."""

from __future__ import annotations

from pellux.service.evidence.importances import ask_importances
from pellux.service.evidence.schemas import ImportancesView
from pellux.web.api import Api
from pellux.web.context import server


def add(api: Api) -> None:
    @api.operation("POST", "/searches/<int:search_id>/importance", returns=ImportancesView)
    def post_setting_importance(search_id: int) -> ImportancesView:
        """Which settings the score depends on, over the search's space: known already, or its computation started."""
        return ask_importances(server().engine, search_id)
