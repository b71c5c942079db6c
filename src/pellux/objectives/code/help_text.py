"""Reads a program's --help: its options by the usual conventions, and from them a space to begin with and a command."""

from __future__ import annotations

import keyword
import re
from collections.abc import Sequence
from dataclasses import dataclass

LINE = re.compile(r"^ {1,10}(?P<head>-{1,2}[A-Za-z]\S*(?: \S+)*?)(?:\s{2,}(?P<help>\S.*)|\s*)$")
LONG = re.compile(r"--(?P<name>[A-Za-z][\w-]*)(?:(?:\[?=| )(?P<value>.+))?$")
DEFAULT = re.compile(r"[\[(]?\bdefaults?(?:\s+(?:is|to|value))?\s*[:=]?\s*'?\"?(?P<value>[^\s,;)\]'\"]+)", re.IGNORECASE)
CHOICES = re.compile(
    r"(?:choices?|one of|options?)\s*[:=]?\s*[\[({]?(?P<values>\w[\w.-]*(?:\s*(?:,|\||/|\bor\b)\s*\w[\w.-]*)+)", re.IGNORECASE
)
WHOLE, NUMBER = re.compile(r"[-+]?\d+"), re.compile(r"[-+]?(?:\d+\.?\d*|\.\d+)(?:e[-+]?\d+)?", re.IGNORECASE)
# What a fit is, not how it is set: these become placeholders, or stay as the program has them.
PLACES = {
    "seed": "seed", "random-seed": "seed", "random-state": "seed", "fold": "fold", "folds": "folds", "n-folds": "folds",
    "epochs": "level", "num-epochs": "level", "n-epochs": "level", "max-epochs": "level", "steps": "level", "max-steps": "level",
    "iterations": "level", "out": "folder", "output": "folder", "output-dir": "folder", "out-dir": "folder", "save-dir": "folder",
    "checkpoint-dir": "folder", "start": "from", "start-epoch": "from", "resume-from": "from",
}  # fmt: skip
LEFT = frozenset({
    "help", "version", "verbose", "quiet", "debug", "data", "data-dir", "input", "config", "workers", "num-workers", "device",
    "gpu", "gpus", "log", "log-dir", "log-level", "resume", "name", "port", "host", "threads", "jobs", "n-jobs", "dry-run", "no-cuda",
})  # fmt: skip
LOGARITHMIC = re.compile(r"rate|lr|decay|alpha|lambda|eps|tol|reg|temperature|sigma", re.IGNORECASE)
SHARES = re.compile(r"dropout|momentum|ratio|fraction|share|prob|beta|drop", re.IGNORECASE)


@dataclass(frozen=True)
class Option:
    """An option of a program.

    Attributes
    ----------
    name : str
        As it is typed, without the dashes before it.
    off : str
        The option that turns a switch off, if there is one.
    switch : bool
        It takes no value.
    """

    name: str
    sentence: str
    default: str
    choices: tuple[str, ...]
    switch: bool
    off: str

    @property
    def setting(self) -> str:
        """Its name in a space."""
        found = self.name.replace("-", "_")
        return f"{found}_" if keyword.iskeyword(found) or found in RESERVED_WORDS else found


RESERVED_WORDS = frozenset(
    [
        "int",
        "log",
        "step",
        "levels",
        "start",
        "costly",
        "if",
        "require",
        "and",
        "or",
        "not",
        "in",
        "yes",
        "no",
        "fold",
        "folds",
        "seed",
        "level",
        "from",
        "folder",
        "settings",
        "trial",
        "each",
    ]
)


@dataclass(frozen=True)
class Suggestion:
    """A command with placeholders, a space to begin with, and what grows, as far as the options tell."""

    runs: tuple[str, ...]
    space: str
    grows: str
    most: int | None
    options: tuple[Option, ...]


def options_in(text: str) -> list[Option]:
    """The options that a help text tells of, in its order."""
    lines = text.replace("\t", "    ").splitlines()
    found: list[Option] = []
    for place, line in enumerate(lines):
        match = LINE.match(line)
        long = [] if match is None else [one for part in match["head"].split(", ") if (one := LONG.match(part))]
        if match is None or not long:
            continue
        words = [match["help"] or ""]
        indent = len(line) - len(line.lstrip())
        for more in lines[place + 1 :]:
            if not more.strip() or LINE.match(more) or len(more) - len(more.lstrip()) <= indent:
                break
            words.append(more.strip())
        told = " ".join(word for word in words if word).strip()
        value = (long[0]["value"] or "").rstrip("]")
        off = next((one["name"] for one in long[1:] if one["name"] == f"no-{long[0]['name']}"), "")
        default = DEFAULT.search(told)
        found.append(
            Option(
                long[0]["name"], _sentence(told), default["value"].rstrip(".") if default else "", _choices(value, told), not value,
                off,
            )
        )  # fmt: skip
    return list({option.name: option for option in found}.values())


def suggest(runs: Sequence[str], text: str) -> Suggestion:
    """A command and a space from a help text; options that the command names already stay as they are."""
    given = {part.split("=")[0] for part in runs if part.startswith("--")}
    command, lines, taken = list(runs), list[str](), list[Option]()
    grows, most = "", None
    for option in options_in(text):
        if f"--{option.name}" in given or option.name in LEFT:
            continue
        if option.name in PLACES and not option.switch:
            command += [f"--{option.name}", f"{{{PLACES[option.name]}}}"]
            if PLACES[option.name] == "level":
                grows = option.name.removeprefix("num-").removeprefix("n-").removeprefix("max-").replace("-", "_")
                most = int(option.default) if WHOLE.fullmatch(option.default) and int(option.default) > 1 else None
            continue
        domain = _domain(option)
        if domain is None:
            continue
        lines.append(f"{option.setting}: {domain}" + (f"  # {option.sentence}" if option.sentence else ""))
        taken.append(option)
        command += _placeholder(option)
    return Suggestion(tuple(command), "\n".join(lines), grows, most, tuple(taken))


def _placeholder(option: Option) -> list[str]:
    if option.switch:
        off = f" : --{option.off}" if option.off else ""
        return [f"{{{option.setting} ? --{option.name}{off}}}"]
    return [f"--{option.name}", f"{{{option.setting}}}"]


def _domain(option: Option) -> str | None:
    """A range or choice around the default; None where nothing can be told."""
    if option.switch:
        on = option.default.lower() == "true"
        return f"no | yes, start {'yes' if on else 'no'}"
    if option.choices:
        start = f", start {_word(option.default)}" if option.default in option.choices else ""
        return " | ".join(_word(choice) for choice in option.choices) + start
    if WHOLE.fullmatch(option.default):
        number = int(option.default)
        if number <= 0:
            return None if number < 0 else "0 .. 10 int, start 0"
        low, high = max(1, number // 4), max(number * 4, 4)
        return f"{low} .. {high} int{' log' if high >= 8 * low and high > 16 else ''}, start {number}"
    if NUMBER.fullmatch(option.default):
        value = float(option.default)
        if SHARES.search(option.name) and 0 <= value < 1:
            return f"0 .. {'0.99' if value > 0.6 else '0.6'}, start {value:g}"
        if value > 0:
            if 0.1 <= value < 1 and not LOGARITHMIC.search(option.name):
                return f"0 .. 1, start {value:g}"
            log = LOGARITHMIC.search(option.name) or value < 0.1
            return f"{value / 10:g} .. {value * 10:g}{' log' if log else ''}, start {value:g}"
        return "0 .. 1, start 0" if value == 0 else None
    return None


def _word(text: str) -> str:
    if NUMBER.fullmatch(text) or (re.fullmatch(r"[A-Za-z_]\w*([-.][A-Za-z_]\w*)*", text) and text not in RESERVED_WORDS):
        return text
    return '"' + text.replace('"', '\\"') + '"'


def _choices(value: str, told: str) -> tuple[str, ...]:
    if value.startswith("{"):
        return _several(value.strip("{}").split(","))
    if "|" in value:
        return _several(value.strip("<>[]").split("|"))
    match = CHOICES.search(told)
    return _several(re.split(r"\s*(?:,|\||/|\bor\b)\s*", match["values"])) if match else ()


def _several(words: Sequence[str]) -> tuple[str, ...]:
    found = tuple(dict.fromkeys(word.strip().strip("'\"") for word in words if word.strip()))
    return found if len(found) > 1 else ()


def _sentence(told: str) -> str:
    """The help without its defaults, on one line."""
    text = re.sub(r"\s*[\[(]\s*defaults?\b[^)\]]*[)\]]", "", told, flags=re.IGNORECASE)
    text = re.sub(r"\s+", " ", text).strip().rstrip(".")
    return text[:117] + "…" if len(text) > 118 else text
