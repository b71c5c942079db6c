"""Every reason that the code gives has its sentence, made of the facts that come with it; and nothing looks into a sentence."""

from __future__ import annotations

import ast
from pathlib import Path
from typing import Any

import pytest

import pellux
from pellux.core.reasons import NONE, Reason, because
from pellux.service.wording import SENTENCES, sentence

ROOT = Path(pellux.__file__).parent
OLD = "told"  # only migrations give it
PARKED = "not promoted"  # a trial that waited at its rung to the end keeps its facts under this code
NESTED = {"code": "no gain", "trials": 3, "best": 1}


def given() -> list[tuple[str, int, str, list[str] | None]]:
    """File, line, code and names of facts of every `because("…")`; None where facts are handed over whole."""
    found = []
    for path in sorted(ROOT.rglob("*.py")):
        source = path.read_text("utf-8")
        for node in ast.walk(ast.parse(source)) if "because(" in source else ():
            if not isinstance(node, ast.Call) or not isinstance(node.func, ast.Name) or node.func.id != "because":
                continue
            if not isinstance(node.args[0], ast.Constant):
                continue
            names = [k.arg for k in node.keywords]
            found.append((path.name, node.lineno, str(node.args[0].value), None if None in names else [str(n) for n in names]))
    return found


def fact(code: str, name: str) -> Any:
    return NESTED if (code, name) in {("every trial failed", "first"), ("fold failed", "because")} else 0.25


GIVEN = given()


def test_the_reasons_are_found() -> None:
    assert len(GIVEN) > 25
    assert {code for *_, code, _ in GIVEN} == SENTENCES.keys() - {OLD, PARKED}, (
        "a code without a sentence, or one that nobody gives"
    )


@pytest.mark.parametrize(("file", "line", "code", "names"), GIVEN)
def test_a_sentence_is_made_of_the_facts_that_come_with_its_code(file: str, line: int, code: str, names: list[str] | None) -> None:
    if names is None:
        return
    made = sentence(because(code, **{name: fact(code, name) for name in names}))
    assert made, f"{file}:{line}"
    assert "{" not in made


def test_a_reason_of_a_newer_version_is_told_as_it_is() -> None:
    assert sentence({"code": "struck by lightning", "volts": 9}) == "struck by lightning (volts 9)"
    assert sentence(NONE) == sentence({}) == ""


def test_reasons_come_back_from_json_as_they_were() -> None:
    reason = because("outrun", folds=2, best=3, behind=0.125, chance=0.01)
    assert Reason.from_json(reason.to_json()) == reason
    assert sentence(reason) == "P(win) 1.0%: 0.125 behind the best (trial 3) after fold 2"
    assert sentence(because("fold failed", fold=2, because=because("error", kind="ValueError", text="no").to_json())) == (
        "Fold 2: ValueError: no"
    )


def test_a_trial_that_waited_to_the_end_keeps_its_facts() -> None:
    waited = {"code": "waits at its rung", "rung": 1, "place": 3, "of": 4, "go_on": 2}
    assert sentence(waited) == "place 3 of 4 at rung 1, 2 go on so far"
    assert sentence({**waited, "code": PARKED}) == "place 3 of 4 at rung 1, 2 went on"


def test_old_prose_is_kept_as_it_was_written() -> None:
    assert sentence({"code": OLD, "text": "The machine was switched off."}) == "The machine was switched off."
