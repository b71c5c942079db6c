"""What is shown of evidence."""

from __future__ import annotations

from pydantic import Field

from pellux.service.schemas import View


class ShareView(View):
    """A share of the score's variance, from 0 to 1; nine times out of ten the truth lies between `low` and `high`."""

    share: float
    low: float
    high: float


class MattersView(View):
    """Of one setting."""

    name: str
    alone: ShareView = Field(description="By itself.")
    total: ShareView = Field(description="With all that it does together with others.")
    among_good: ShareView = Field(description="By itself, as long as the score is within its best quarter.")


class TogetherView(View):
    """What two settings do together beyond what each does."""

    names: list[str]
    beyond: ShareView
    among_good: ShareView = Field(description="The same, as long as the score is within its best quarter.")


class ImportancesView(View):
    """Which settings the score depends on, over the space of a search."""

    state: str
    message: str
    trials: int = Field(description="Scored trials that it rests on; 0 where they are too few or all alike.")
    explained: float = Field(description="Share of the scores' variance that the model foretells of trials it did not see.")
    singles: list[MattersView]
    pairs: list[TogetherView]
