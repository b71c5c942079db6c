"""What is read from somebody's code: templates of commands, scores in output, options in a help text, files that are the code."""

from __future__ import annotations

import argparse
import math
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pellux.core.errors import InvalidOwnCode, InvalidPlan
from pellux.core.space import parse
from pellux.objectives.code.brief import CodeBrief, check_pattern, spelt_alike
from pellux.objectives.code.fingerprint import Watch, files_of, fingerprint, script_of
from pellux.objectives.code.guesses import guess
from pellux.objectives.code.help_text import suggest
from pellux.objectives.code.scores import FILE, JSON, NUMBER, PATTERN, ScoreReader, TooSlow
from pellux.objectives.code.templates import check_names, fill

FACTS = {"fold": "2", "level": "9", "folder": "/x y", "settings": "/s.json"}
VALUES = st.one_of(st.booleans(), st.integers(), st.floats(allow_nan=False, allow_infinity=False), st.text(min_size=1))


@settings(max_examples=40)
@given(st.dictionaries(st.sampled_from("abcde"), VALUES, min_size=1))
def test_a_value_is_one_argument_whatever_is_in_it(configuration: dict[str, bool | int | float | str]) -> None:
    runs = ["prog", *(f"{{{name}}}" for name in configuration), "--at={fold}", "{folder}"]
    arguments = fill(runs, configuration, FACTS, configuration)
    assert len(arguments) == len(runs)
    assert arguments[-2:] == ["--at=2", "/x y"]
    for value, text in zip(configuration.values(), arguments[1:], strict=False):
        back = {"true": True, "false": False}.get(text) if isinstance(value, bool) else type(value)(text)
        assert back == value, "it reads back the same"


def test_inactive_settings_take_their_flags_along_and_switches_stand_or_do_not() -> None:
    runs = ["p", "--rate", "{rate}", "--depth={depth}", "{fast ? --fast}", "{loud ? --loud : --quiet}", "--end"]
    names = ["rate", "depth", "fast", "loud"]
    assert fill(runs, {"fast": True, "loud": False}, FACTS, names) == ["p", "--fast", "--quiet", "--end"]
    assert fill(runs, {"rate": 0.1, "depth": 3, "fast": False}, FACTS, names) == ["p", "--rate", "0.1", "--depth=3", "--end"]
    assert fill(["p", "{each}"], {"rate": 0.1, "on": True, "off": False}, FACTS, ["rate", "on", "off"]) == [
        "p",
        "--rate",
        "0.1",
        "--on",
    ]
    assert fill(["p", "{{rate}}"], {"rate": 1}, FACTS, ["rate"]) == ["p", "{rate}"]


@pytest.mark.parametrize(
    ("runs", "settings", "words"),
    [
        (["p", "{speed}"], ["rate"], "has no setting 'speed'"),
        (["p", "{rate}"], ["rate", "width"], "width stands nowhere in the command"),
        (["p", "{fold}"], ["fold"], "cannot be called 'fold'"),
        (["p", "{ra te}"], ["rate"], "a name in braces"),
        (["p", "{rate"], ["rate"], "a name in braces"),
        (["p", "x{each}"], ["rate"], "stands alone"),
        (["p", "{rate ? }"], ["rate"], "is not {name ? --on}"),
    ],
)
def test_a_command_that_cannot_be_filled_is_refused(runs: list[str], settings: list[str], words: str) -> None:
    with pytest.raises(InvalidPlan, match=words.replace("?", r"\?").replace("{", r"\{")):
        check_names(runs, settings)


def test_everything_goes_where_all_settings_go() -> None:
    check_names(["p", "{settings}"], ["rate", "width"])
    check_names(["p", "{each}", "{fold}"], ["rate", "width"])


def reader(**more: object) -> ScoreReader:
    return ScoreReader("recall", ["loss"], "epochs", **more)  # type: ignore[arg-type]


def test_ways_of_telling_a_score_are_tried_in_their_order() -> None:
    r = reader(pick_out="recall=([0-9.]+)")
    r.printed("recall=0.1")
    assert r.found(1).how == PATTERN
    r.written('{"recall": 0.2}')
    assert (r.found(1).how, r.found(1).score) == (FILE, 0.2)
    r.printed('{"recall": 0.3, "loss": 2, "epoch": 4}')
    found = r.found(4)
    assert (found.how, found.score, found.curve, found.recorded) == (JSON, 0.3, ((4, 0.3),), {"loss": 2.0})
    last = reader()
    for line in ("working", "done after 3 s: 0.75", "   "):
        last.printed(line)
    assert (last.found(27).how, last.found(27).curve) == (NUMBER, ((27, 0.75),))
    assert reader().found(1).score is None


def test_lines_are_a_curve_along_what_grows() -> None:
    told: list[tuple[int, float]] = []
    r = reader(begun=3, tell=lambda level, said: told.append((level, said.score)))
    for line in (
        '{"recall": 0.5}',
        '{"recall": 0.6}',
        '{"loss": 1}',
        '{"recall": 0.7, "epochs": 9}',
        '{"recall": NaN, "epoch": 10}',
    ):
        r.printed(line)
    assert told == [(4, 0.5), (5, 0.6), (9, 0.7)]
    found = r.found(10)
    assert found.curve == ((4, 0.5), (5, 0.6), (9, 0.7))
    assert found.score is not None
    assert math.isnan(found.score), "the last word counts"


@pytest.mark.parametrize(
    "line",
    ['{"recall": "0.5"}', '{"recall": true}', '{"recall": null}', "[0.5]", '{"recall": 0.5', "{" * 100_000, '{"a":' * 5000 + "}"],
)
def test_what_is_no_score_is_none(line: str) -> None:
    assert reader().printed(line) is None


def test_a_pattern_is_heard_on_both_streams_json_on_one() -> None:
    r = reader(pick_out="recall=([0-9.]+)")
    assert r.printed('{"recall": 0.5}', aside=True) is None
    assert r.printed("INFO recall=0.25", aside=True) is not None
    assert r.found(1).score == 0.25


def test_a_pattern_that_never_ends_is_ended() -> None:
    r = ScoreReader("x", pick_out=r"^(a+)+$")
    with pytest.raises(TooSlow):  # it would take longer than there is time
        r.printed("a" * 60 + "b")


@pytest.mark.parametrize(("text", "words"), [("recall=", "no group"), ("(a)(b)", "2 groups"), ("(a", "not a regular expression")])
def test_a_pattern_has_one_group(text: str, words: str) -> None:
    with pytest.raises(InvalidPlan, match=words):
        check_pattern(text)


@pytest.mark.parametrize(
    ("lines", "name", "pattern"),
    [
        (['{"epoch": 1, "train_loss": 1, "val_acc": 0.5}'], "val_acc", ""),
        (["epoch 1: loss=1.0 val_acc=0.5 time=3.0"], "val_acc", "val_acc"),
        (["Test accuracy: 0.91"], "accuracy", "accuracy"),
    ],
)
def test_the_likeliest_score_is_guessed(lines: list[str], name: str, pattern: str) -> None:
    found = guess(lines, "epochs")
    assert found is not None
    assert found.name == name
    assert pattern in found.pick_out
    if pattern:
        r = ScoreReader(name, pick_out=found.pick_out)
        r.printed(lines[0])
        assert r.found(1).score == pytest.approx(float(lines[0].split(name)[1].lstrip(" =:").split()[0]))


def test_a_help_text_gives_command_and_space() -> None:
    parser = argparse.ArgumentParser(prog="train.py")
    parser.add_argument("--learning-rate", "-l", type=float, default=0.01, help="step size (default: %(default)s)")
    parser.add_argument("--width", type=int, default=64, metavar="N", help="units (default: 64)")
    parser.add_argument("--optimizer", choices=["adam", "sgd"], default="adam", help="how it steps [default: adam]")
    parser.add_argument("--nesterov", action="store_true", help="look ahead")
    parser.add_argument("--bias", action=argparse.BooleanOptionalAction, help="with a constant")
    parser.add_argument("--lambda", type=float, default=0.5, help="weight (default: 0.5)")
    parser.add_argument("--epochs", type=int, default=20, help="passes (default: 20)")
    parser.add_argument("--seed", type=int, default=0, help="(default: 0)")
    parser.add_argument("--out", help="folder")
    parser.add_argument("--verbose", action="store_true")
    found = suggest(["python", "train.py"], parser.format_help())
    assert found.grows == "epochs"
    assert found.most == 20
    assert [o.setting for o in found.options] == ["learning_rate", "width", "optimizer", "nesterov", "bias", "lambda_"]
    space = parse(found.space)
    assert space.completed({}) == {
        "learning_rate": 0.01, "width": 64, "optimizer": "adam", "nesterov": False, "bias": False, "lambda_": 0.5
    }  # fmt: skip
    check_names(found.runs, space.by_name)
    parsed = parser.parse_args(fill(found.runs, space.completed({}), {**FACTS, "seed": "3"}, space.by_name)[2:])
    assert (parsed.learning_rate, parsed.width, parsed.optimizer, parsed.nesterov, parsed.bias) == (0.01, 64, "adam", False, False)
    assert (parsed.epochs, parsed.seed, parsed.out) == (9, 3, "/x y")
    assert "step size" in found.space


def test_options_of_other_conventions_are_read() -> None:
    text = "Options:\n  -r, --rate=RATE     Step size [default: 0.1]\n      --mode <fast|slow>  How (default fast)\n  --depth int   levels (default 3)\n"
    assert parse(suggest(["node", "t.js"], text).space).completed({}) == {"rate": 0.1, "mode": "fast", "depth": 3}


def test_two_settings_that_would_be_one_variable_are_told() -> None:
    assert spelt_alike(["rate", "Rate"]) == ("rate", "Rate")
    assert spelt_alike(["rate", "width"]) is None


def test_code_is_the_script_and_what_it_imports_from_its_folder(tmp_path: Path) -> None:
    (tmp_path / "parts").mkdir()
    (tmp_path / "train.py").write_text("import os, helper\nfrom parts import net\n")
    (tmp_path / "helper.py").write_text("import parts.deep\n")
    for name in ("__init__", "net", "deep"):
        (tmp_path / "parts" / f"{name}.py").write_text("")
    (tmp_path / "data.txt").write_text("1")
    files = files_of(tmp_path / "train.py", tmp_path, ["data.txt"])
    assert set(files) == {"train.py", "helper.py", "parts/__init__.py", "parts/net.py", "parts/deep.py", "data.txt"}
    watch = Watch(tmp_path, files, fingerprint(tmp_path, files))
    assert watch.changed() == ""
    (tmp_path / "helper.py").touch()
    assert watch.changed() == "", "the same content is the same code"
    (tmp_path / "parts" / "deep.py").write_text("x = 1")
    assert "parts/deep.py" in watch.changed()
    (tmp_path / "helper.py").unlink()
    assert "helper.py" in watch.changed()
    with pytest.raises(InvalidOwnCode, match="no file missing"):
        files_of(tmp_path / "train.py", tmp_path, ["missing"])


@pytest.mark.parametrize(
    ("runs", "good"),
    [
        (["python", "train.py"], True), (["python3.11", "-u", "train.py"], True), (["./train.py"], True), (["python", "-m", "train"], True),
        (["python", "-c", "print(1)"], False), (["bash", "-c", "ls"], False), (["ls"], False), (["rm", "train.py"], False),
        (["python", "../outside.py"], False), (["python", "link.py"], False), (["python"], False), ([], False), (["../outside.py"], False),
    ],
)  # fmt: skip
def test_only_files_of_the_folder_are_run(tmp_path: Path, runs: list[str], good: bool) -> None:
    folder = tmp_path / "allowed"
    folder.mkdir()
    (folder / "train.py").write_text("")
    (tmp_path / "outside.py").write_text("")
    (folder / "link.py").symlink_to(tmp_path / "outside.py")
    if good:
        assert script_of(runs, folder) == folder / "train.py"
    else:
        with pytest.raises(InvalidOwnCode):
            script_of(runs, folder)


def test_a_brief_reads_back_the_same_and_knows_its_family() -> None:
    brief = CodeBrief("program", "recall", True, runs=("python", "t.py"), files=("t.py",), fingerprint="a", space="x: 1 .. 2")
    assert CodeBrief.from_json(brief.to_json()) == brief
    other = CodeBrief("program", "recall", True, runs=("python", "t.py"), files=("t.py",), fingerprint="b")
    assert brief.identity != other.identity
    assert brief.family == other.family
