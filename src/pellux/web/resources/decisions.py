"""Signed decisions and what can be taken away of them."""

from __future__ import annotations

from flask import Response
from pydantic import Field

from pellux.service.decisions import decisions, takeaway
from pellux.service.decisions.decisions import DecisionRequest
from pellux.service.decisions.schemas import DecisionDetail, DecisionView
from pellux.service.planning.requests import Request
from pellux.web.api import Api
from pellux.web.context import server


class DecisionsQuery(Request):
    problem: int | None = Field(None, description="Only this problem's.")


def add(api: Api) -> None:
    @api.operation("POST", "/problems/<int:problem_id>/decisions", body=DecisionRequest, returns=DecisionDetail, status=201)
    def post_decision(problem_id: int, body: DecisionRequest) -> DecisionDetail:
        """Sign the choice of one trial; an earlier decision is superseded."""
        made = decisions.decide(server().engine, problem_id, body)
        return decisions.decision_detail(server().engine.workspace, made)

    @api.operation("GET", "/decisions", query=DecisionsQuery, returns=list[DecisionView])
    def get_decisions(query: DecisionsQuery) -> list[DecisionView]:
        """Decisions, newest first."""
        return decisions.list_decisions(server().engine.workspace, query.problem)

    @api.operation("GET", "/decisions/<int:decision_id>", returns=DecisionDetail)
    def get_decision(decision_id: int) -> DecisionDetail:
        """One decision with its record and files."""
        return decisions.decision_detail(server().engine.workspace, decision_id)

    @api.operation("GET", "/decisions/<int:decision_id>/files/<name>", produces="application/octet-stream")
    def get_decision_file(decision_id: int, name: str) -> Response:
        """A file to take away; everything.zip holds them all."""
        found, media = takeaway.content(server().engine.workspace, decision_id, name)
        shown = "inline" if name == "report.html" else "attachment"
        response = Response(found, mimetype=media)
        response.headers["Content-Disposition"] = f'{shown}; filename="decision-{decision_id}-{name}"'
        return response
