"""Somebody's code on another machine: its files come along, unless the machine has the same folder with the same code."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path

from pellux.core.errors import InvalidOwnCode
from pellux.objectives.code.brief import CodeBrief
from pellux.objectives.code.fingerprint import fingerprint

CODE = "code"


def code_files(brief: CodeBrief) -> Mapping[str, str]:
    """What the brief's fingerprint is of: the script, what it imports from its folder, and the files that are named."""
    return {f"{CODE}/{name}": str(Path(brief.folder) / name) for name in brief.files}


def moved_brief(brief: CodeBrief, folder: str) -> CodeBrief:
    """The brief with the folder that its code runs from on this machine.

    Its own, where that is here too and its code is the same: machines that share a disk find there what else the code reads.
    """
    try:
        if fingerprint(Path(brief.folder), brief.files) == brief.fingerprint:
            return brief
    except InvalidOwnCode:
        pass
    return replace(brief, folder=str(Path(folder) / CODE))
