"""What exists is documented: metrics, strategies, learners and their settings, plan keys, error codes, commands."""

from __future__ import annotations

import inspect
from pathlib import Path

import pytest

from pellux.cli import COMMANDS
from pellux.core import errors
from pellux.core.judging import METRICS
from pellux.core.judging.selection import RULES
from pellux.core.stopping import RULES as STOPPING
from pellux.core.strategies import STRATEGIES
from pellux.objectives.tabular.learners.catalogue import LEARNERS
from pellux.service.decisions.measures import COSTS
from pellux.service.decisions.takeaway import CODE_FILES, FILES, OWN
from pellux.service.planning.requests import SettingsRequest
from pellux.service.workspace import EngineHeld

ROOT = Path(__file__).parents[1]


def text(name: str) -> str:
    return (ROOT / name).read_text("utf-8")


@pytest.mark.parametrize("key", [*METRICS, *STRATEGIES])
def test_metrics_and_strategies_are_documented(key: str) -> None:
    entry = METRICS.get(key) or STRATEGIES[key]
    assert f"`{key}`" in text("docs/judging.md")
    assert entry.sentence in text("docs/judging.md")


@pytest.mark.parametrize("key", list(LEARNERS))
def test_learners_and_settings_are_documented(key: str) -> None:
    page = text("docs/learners.md")
    assert f"## `{key}`" in page
    for setting in LEARNERS[key].settings:
        assert f"| `{setting.name}` | {setting.sentence} |" in page


@pytest.mark.parametrize("key", list(STOPPING))
def test_stopping_rules_and_their_settings_are_documented(key: str) -> None:
    page = text("docs/stopping.md")
    assert f"| `{key}` | {STOPPING[key].sentence} |" in page
    for name, (default, sentence) in STOPPING[key].names.items():
        assert f"`{name}` ({default}): {sentence}" in page


def test_plan_keys_are_documented() -> None:
    for name, field in SettingsRequest.model_fields.items():
        assert f"`plan.{field.alias or name}`" in text("docs/plan.md")


def test_rules_and_files_of_a_decision_are_documented() -> None:
    page = text("docs/decision.md")
    for name in (*RULES, *COSTS):
        assert f"`{name}`" in page
    for name in {file.name for file in (*FILES, *CODE_FILES, OWN)}:
        stem, _, ending = name.partition(".")
        assert f"`{name}`" in page or (f"`{stem}." in page and f"`.{ending}`" in page), name


def test_error_codes_are_documented() -> None:
    codes = {kind.code for _, kind in inspect.getmembers(errors, inspect.isclass) if issubclass(kind, errors.PelluxError)}
    for code in codes | {EngineHeld.code}:
        assert f"`{code}`" in text("docs/http.md"), code


def test_commands_are_in_the_readme_and_its_pictures_exist() -> None:
    readme = text("README.md")
    for name in COMMANDS:
        assert f"`pellux {name}" in readme
    pictures = [part.partition(")")[0] for part in readme.split("](")[1:] if part.startswith("docs/screenshots/")]
    assert pictures
    for picture in pictures:
        assert (ROOT / picture).is_file()


def test_the_demo_data_come_from_their_generator(tmp_path: Path) -> None:
    from pellux.demo import generator

    for name, make in generator.FILES.items():
        generator.write(make(), tmp_path / name)
        assert (tmp_path / name).read_bytes() == (generator.FOLDER / name).read_bytes()
        assert (generator.FOLDER / name).stat().st_size < 10**6
