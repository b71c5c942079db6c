"""A command line with placeholders, filled for one fit. There is no shell: each value becomes one argument or a part of one."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from pellux.core.errors import InvalidPlan
from pellux.core.space import Value

FACTS = ("fold", "folds", "seed", "level", "from", "folder", "settings", "trial")
EACH = "each"
RESERVED = frozenset({*FACTS, EACH})
NAME = r"[A-Za-z_][A-Za-z0-9_]*"
PIECE = re.compile(r"\{\{|\}\}|\{([^{}]*)\}|[{}]")
SWITCH = re.compile(rf"\s*({NAME})\s*\?\s*([^:?\s]+)\s*(?::\s*([^:?\s]+)\s*)?")


@dataclass(frozen=True)
class _Switch:
    """`{name ? --on : --off}`: one argument or the other, or none."""

    name: str
    on: str
    off: str | None


def names_in(runs: Sequence[str]) -> list[str]:
    """The placeholders of a command, in their order, each once; InvalidPlan where one cannot be read."""
    found: dict[str, None] = {}
    for part in runs:
        switch = _switch(part)
        if switch is not None:
            found[switch.name] = None
            continue
        for piece in PIECE.finditer(part):
            if piece[0] in ("{{", "}}"):
                continue
            name = piece[1]
            if name is None or not re.fullmatch(NAME, name):
                raise InvalidPlan(
                    f"'{part}': a placeholder is a name in braces, such as {{rate}}; a brace of its own is written twice.",
                    at="brief.runs",
                )
            if name == EACH and part != "{each}":
                raise InvalidPlan(f"'{part}': {{each}} becomes several arguments, so it stands alone.", at="brief.runs")
            found[name] = None
    return list(found)


def check_names(runs: Sequence[str], settings: Iterable[str]) -> None:
    """Refuse placeholders that nothing fills, and settings that the program would never hear of."""
    wanted, known = set(names_in(runs)), list(settings)
    for name in known:
        if name in RESERVED:
            raise InvalidPlan(f"A setting cannot be called '{name}': {{{name}}} means something else already.", at=f"space.{name}")
    unknown = [name for name in names_in(runs) if name not in RESERVED and name not in known]
    if unknown:
        allowed = ", ".join(f"{{{name}}}" for name in [*known, *FACTS, EACH])
        raise InvalidPlan(
            f"{{{unknown[0]}}} stands in the command, but the space has no setting '{unknown[0]}'. Known are {allowed}.",
            at="brief.runs",
        )
    if not wanted & {EACH, "settings"}:
        unheard = [name for name in known if name not in wanted]
        if unheard:
            raise InvalidPlan(
                f"{unheard[0]} stands nowhere in the command, so the program would never hear of it. "
                f"Write {{{unheard[0]}}}, or {{each}} or {{settings}} for all of them.",
                at="brief.runs",
            )


def fill(runs: Sequence[str], configuration: Mapping[str, Value], facts: Mapping[str, str], settings: Iterable[str]) -> list[str]:
    """The arguments of one fit.

    Parameters
    ----------
    configuration : mapping
        The active settings.
    facts : mapping of the other placeholders to texts
    settings : iterable of str
        All settings there are: one that is not active takes its argument along, and the flag before it.
    """
    inactive = set(settings) - set(configuration)
    texts = {**{name: text_of(value) for name, value in configuration.items()}, **facts}
    found: list[str] = []
    for part in runs:
        switch = _switch(part)
        if switch is not None:
            word = None if switch.name in inactive else switch.on if configuration[switch.name] else switch.off
            found += [word] if word is not None else []
        elif part == "{each}":
            for name, value in configuration.items():
                if isinstance(value, bool):
                    found += [f"--{name}"] if value else []
                else:
                    found += [f"--{name}", text_of(value)]
        elif inactive & set(names_in([part])):
            if PIECE.fullmatch(part) and found and found[-1].startswith("-"):
                found.pop()
        else:
            found.append(PIECE.sub(lambda piece: _put(piece, texts), part))
    return found


def text_of(value: Value) -> str:
    """A value as a command line has it: true and false for yes and no, numbers so that they read back the same."""
    if isinstance(value, bool):
        return "true" if value else "false"
    return repr(value) if isinstance(value, float) else str(value)


def _put(piece: re.Match[str], texts: Mapping[str, str]) -> str:
    return {"{{": "{", "}}": "}"}.get(piece[0]) or texts[piece[1]]


def _switch(part: str) -> _Switch | None:
    if not (part.startswith("{") and part.endswith("}") and "?" in part):
        return None
    found = SWITCH.fullmatch(part[1:-1])
    if found is None:
        raise InvalidPlan(f"'{part}' is not {{name ? --on}} or {{name ? --on : --off}}.", at="brief.runs")
    return _Switch(found[1], found[2], found[3])
