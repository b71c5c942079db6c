"""What every request is: checked texts, no unknown keys, no truth values for numbers."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated, Any, get_args

from pydantic import BaseModel, ConfigDict, Field, ValidationInfo, field_validator

Seed = Annotated[int, Field(ge=0, lt=2**31)]


LARGEST = 2**63 - 1  # of a whole number that the database can hold


def _parts(value: Any) -> Iterator[Any]:
    """Every text and number in a value, however deep it lies."""
    if isinstance(value, dict):
        for key, one in value.items():
            yield from (*_parts(key), *_parts(one))
    elif isinstance(value, (list, tuple)):
        for one in value:
            yield from _parts(one)
    else:
        yield value


LimitText = Annotated[str, Field(min_length=1, max_length=200)]
AimText = Annotated[str, Field(min_length=1, max_length=200)]
Tag = Annotated[str, Field(min_length=1, max_length=60)]
Tags = Annotated[list[Tag], Field(max_length=50)]


class Request(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, validate_by_name=True, validate_by_alias=True, defer_build=True)

    @field_validator("*", mode="before")
    @classmethod
    def _plain_text(cls, value: Any) -> Any:
        """What cannot be written down again is refused here, once for all texts: halves of a character pair, and NUL."""
        for text in _parts(value):
            if not isinstance(text, str):
                continue
            if "\0" in text:
                raise ValueError("it holds a NUL, which no text has")
            if not text.isascii():
                try:
                    text.encode()
                except UnicodeEncodeError:
                    raise ValueError("it holds half of a character pair, which is no text") from None
        return value

    @field_validator("*", mode="before")
    @classmethod
    def _no_truth_for_a_number(cls, value: Any, info: ValidationInfo) -> Any:
        """`seed: true` is a slip of the pen, not the number 1."""
        if not isinstance(value, bool):
            return value
        wanted = cls.model_fields[info.field_name or ""].annotation
        kinds = {wanted, *get_args(wanted)}
        if kinds & {int, float} and bool not in kinds:
            raise ValueError(f"a number is wanted here, not {str(value).lower()}")
        return value

    @field_validator("*", mode="after")
    @classmethod
    def _within_reason(cls, value: Any) -> Any:
        if any(isinstance(part, int) and abs(part) > LARGEST for part in _parts(value)):
            raise ValueError("whole numbers go to 2^63")
        return value
