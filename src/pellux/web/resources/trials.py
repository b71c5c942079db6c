"""Single trials."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from pellux.service.decisions.configurations import configuration_text
from pellux.service.decisions.schemas import ConfigurationView
from pellux.service.planning.requests import Request, Tags
from pellux.service.searches import searches, trials
from pellux.service.searches.schemas import TrialDetail
from pellux.web.api import Api
from pellux.web.context import server


class TrialStateRequest(Request):
    state: Literal["withdrawn"]


class RemarksRequest(Request):
    note: str | None = Field(None, max_length=10_000)
    tags: Tags | None = None
    shortlisted: bool | None = None


def add(api: Api) -> None:
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

    @api.operation("GET", "/trials/<int:trial_id>/configuration/<format>", returns=ConfigurationView)
    def get_configuration(trial_id: int, format: str) -> ConfigurationView:
        """The configuration as json, yaml or python text."""
        found = trials.trial_detail(server().engine.workspace, trial_id).configuration
        return ConfigurationView(format=format, text=configuration_text(found, format))
