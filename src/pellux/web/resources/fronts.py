"""Fronts of searches whose metrics decide together."""

from __future__ import annotations

from pellux.service.searches import fronts
from pellux.service.searches.schemas import FrontView, RandomCourse
from pellux.web.api import Api
from pellux.web.context import server


def add(api: Api) -> None:
    @api.operation("GET", "/searches/<int:search_id>/front", returns=FrontView)
    def get_front(search_id: int) -> FrontView:
        """The front of a search whose metrics decide together, and how it grew."""
        return fronts.front_view(server().engine.workspace, search_id)

    @api.operation("GET", "/searches/<int:search_id>/front/random", returns=RandomCourse)
    def get_random_front(search_id: int) -> RandomCourse:
        """What as many random draws would cover, as models of the trials expect it."""
        return fronts.random_course(server().engine.workspace, search_id)
