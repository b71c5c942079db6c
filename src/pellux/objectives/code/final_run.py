"""The winner trained once more, on everything where the program says that it can: what it keeps is what is taken away."""

from __future__ import annotations

import json
import shutil
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from pellux.core.errors import Conflict
from pellux.core.objective import FitFailed, Terms
from pellux.core.space import Value
from pellux.objectives.code.brief import FUNCTION, CodeBrief
from pellux.objectives.code.folders import KEEP
from pellux.objectives.code.function import call, load
from pellux.objectives.code.program import ALL, ProgramEvaluator, ProgramSource, Run, facts_of, refuse
from pellux.objectives.code.templates import fill

Stage = tuple[Mapping[str, Value], int]  # settings, and the level up to which they hold


def final_run(
    brief: CodeBrief,
    stages: Sequence[Stage],
    settings: Sequence[str],
    devices: Sequence[str],
    target: Path,
    sent: Path | None = None,
) -> dict[str, Any]:
    """Run it with fold 'all' through its stages; `target` gets what it keeps. Conflict with the reason when that fails."""
    scratch = target.with_name(f"{target.name}.training")
    shutil.rmtree(scratch, ignore_errors=True)
    scratch.mkdir(parents=True)
    begun, score = 0, None
    evaluator = None if brief.kind == FUNCTION else ProgramEvaluator(ProgramSource(brief, Terms(settings=tuple(settings))))
    function = load(brief, sent) if brief.kind == FUNCTION else None
    try:
        for configuration, level in stages:
            run = Run(configuration, 0, ALL, begun, level, scratch)
            if evaluator is not None:
                found, heard = evaluator.run(run, devices)
                refuse(brief, found, heard)
            else:
                assert function is not None
                found = call(brief, function, run, tuple(devices), lambda: False, lambda level, score: None)
            begun, score = level, found.score
        shutil.rmtree(target, ignore_errors=True)
        shutil.move(scratch / KEEP, target)
    except FitFailed as failed:
        raise Conflict(json.dumps(failed.reason.to_json())) from None
    finally:
        if evaluator is not None:
            evaluator.close()
        shutil.rmtree(scratch, ignore_errors=True)
    return {"score": score, "level": begun, "fold": ALL}


def command_line(brief: CodeBrief, configuration: Mapping[str, Value], settings: Sequence[str], fold: str, level: int) -> list[str]:
    """The arguments of one run from the beginning, with `out` for the folder; what people copy to run it themselves."""
    facts = facts_of(brief, Run(configuration, 0, fold, 0, level, Path("out")))
    return fill(brief.runs, configuration, {name: str(value) for name, value in facts.items()}, settings)
