"""Trials, together and one by one."""

from __future__ import annotations

from typing import Literal
from urllib.parse import quote

from flask import Response
from pydantic import Field

from pellux.service.decisions.configurations import configuration_text
from pellux.service.decisions.schemas import ConfigurationView
from pellux.service.planning.requests import Request, Tags
from pellux.service.searches import searches, trials
from pellux.service.searches.kept_files import kept_content
from pellux.service.searches.schemas import PageQuery, TrialDetail, TrialPage
from pellux.web.api import Api
from pellux.web.context import server


class TrialStateRequest(Request):
    state: Literal["withdrawn"]


class KeptQuery(Request):
    fold: int = Field(0, ge=0, le=100_000)
    name: str = Field(min_length=1, max_length=1000, description="As the trial's list has it.")


class RemarksRequest(Request):
    note: str | None = Field(None, max_length=10_000)
    tags: Tags | None = None
    shortlisted: bool | None = None


def add(api: Api) -> None:
    @api.operation("GET", "/problems/<int:problem_id>/trials", query=PageQuery, returns=TrialPage)
    def get_problem_trials(problem_id: int, query: PageQuery) -> TrialPage:
        """A page of the trials of all searches of a problem and its baselines, sorted and filtered."""
        return trials.problem_trial_page(server().engine.workspace, problem_id, query)

    @api.operation("GET", "/trials/<int:trial_id>", returns=TrialDetail)
    def get_trial(trial_id: int) -> TrialDetail:
        """One trial in full: fits, logs, baseline and best beside it."""
        return trials.trial_detail(server().engine.workspace, trial_id)

    @api.operation("PUT", "/trials/<int:trial_id>/state", body=TrialStateRequest)
    def put_trial_state(trial_id: int, body: TrialStateRequest) -> None:
        """Withdraw a live trial."""
        searches.withdraw(server().engine, trial_id)

    @api.operation("PUT", "/trials/<int:trial_id>/remarks", body=RemarksRequest)
    def put_remarks(trial_id: int, body: RemarksRequest) -> None:
        """Change a trial's note, tags or place on the shortlist."""
        trials.annotate(server().engine.workspace, trial_id, note=body.note, tags=body.tags, shortlisted=body.shortlisted)

    @api.operation("GET", "/trials/<int:trial_id>/kept", query=KeptQuery, produces="application/octet-stream")
    def get_kept(trial_id: int, query: KeptQuery) -> Response:
        """A file that a fit of own code kept."""
        found, media = kept_content(server().engine.workspace, trial_id, query.fold, query.name)
        response = Response(found, mimetype=media)
        name = quote(query.name.rpartition("/")[2])
        shown = "inline" if media.startswith(("image/", "text/")) else "attachment"
        response.headers["Content-Disposition"] = f"{shown}; filename*=UTF-8''{name}"
        return response

    @api.operation("GET", "/trials/<int:trial_id>/configuration/<format>", returns=ConfigurationView)
    def get_configuration(trial_id: int, format: str) -> ConfigurationView:
        """The configuration as json, yaml or python text."""
        found = trials.trial_detail(server().engine.workspace, trial_id).configuration
        return ConfigurationView(format=format, text=configuration_text(found, format))
