"""What the schemas of all rooms have in common: the one schema behind HTTP, its OpenAPI document and the TypeScript types."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

ScalarValue = bool | int | float | str


class View(BaseModel):
    model_config = ConfigDict(extra="forbid", serialize_by_alias=True, defer_build=True)  # most are never used by a process


class ProblemDocument(View):
    """RFC 9457 problem document."""

    type: str
    title: str
    status: int
    detail: str
    field: str | None
    trace: str | None = None
