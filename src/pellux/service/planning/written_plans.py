"""Writes a plan file for a program, from what its --help told."""

from __future__ import annotations

import json
import re

from pellux.service.planning.code_requests import JudgedBy
from pellux.service.problems.schemas import HelpView

ERRORS = re.compile(r"loss|error|err|rmse|mae|mse|perplexity|distance|cost|wer|cer", re.IGNORECASE)


def is_error(name: str) -> bool:
    """Whether a score of this name is one of which less is better."""
    return bool(ERRORS.search(name))


def begun_plan(told: HelpView, judged_by: JudgedBy) -> str:
    """The text of a plan to begin with, its comments telling what may be changed."""
    runs = ", ".join(json.dumps(part) if re.search(r"[^\w./=-]", part) or not part else part for part in told.runs)
    grows = (
        f"  grows: {{what: {told.grows}, most: {told.most}}}    # add 'goes on: yes' when it goes on from {{folder}}\n"
        if told.most
        else ""
    )
    judged = [f"score: {json.dumps(judged_by.score)}", f"larger is better: {'yes' if judged_by.larger_is_better else 'no'}"]
    judged += [f"pick out: {json.dumps(judged_by.pick_out)}"] if judged_by.pick_out else []
    space = "\n".join(f"  {line}" for line in told.space.splitlines())
    stopping = ", early stopping: automatic" if told.most else ""
    return f"""# A plan to begin with: look at the ranges, then `pellux check` it.
pellux: 1
brief:
  runs: [{runs}]
  judged by: {{{", ".join(judged)}}}
  folds: 1    # more of them if the program takes {{fold}} or {{seed}}: then scores have a standard error
{grows}space: |
{space}
plan: {{trials: 40{stopping}}}
"""
