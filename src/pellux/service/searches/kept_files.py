"""What fits of own code kept: listed, and fetched one by one."""

from __future__ import annotations

import os
from pathlib import Path

from pellux.core.errors import NotFound
from pellux.engine.artifacts import KEEP
from pellux.service.searches.lookups import whose
from pellux.service.searches.schemas import KeptFile
from pellux.service.workspace import Workspace
from pellux.store.records import Trial

PICTURES = {".png": "image/png", ".jpg": "image/jpeg", ".jpeg": "image/jpeg", ".gif": "image/gif", ".webp": "image/webp"}
TEXTS = (".txt", ".md", ".csv", ".tsv", ".json", ".jsonl", ".log", ".yaml", ".yml", ".toml")
MOST = 500
ANYTHING = "application/octet-stream"


def kept_files(workspace: Workspace, trial: Trial) -> list[KeptFile]:
    """By fold and name; symbolic links are not followed."""
    found: list[KeptFile] = []
    for fold in range(len(trial.scores) or 1):
        folder = _folder(workspace, trial, fold)
        for place, folders, names in os.walk(folder):
            folders.sort()
            for name in sorted(names):
                path = Path(place) / name
                if path.is_file() and not path.is_symlink() and len(found) < MOST:
                    found.append(
                        KeptFile(fold=fold, name=str(path.relative_to(folder)), bytes=path.stat().st_size, shown=kind_of(path))
                    )
    return found


def kind_of(path: Path) -> str:
    return "picture" if path.suffix.lower() in PICTURES else "text" if path.suffix.lower() in TEXTS else ""


def kept_content(workspace: Workspace, trial_id: int, fold: int, name: str) -> tuple[bytes, str]:
    """A file's bytes and media type: pictures as such, all else as text or bytes, so that none of it is run by a browser."""
    with workspace.database.read() as session:
        trial, _, _ = whose(session, trial_id)
    return content_in(_folder(workspace, trial, fold), name)


def content_in(folder: Path, name: str) -> tuple[bytes, str]:
    """A file of a folder; NotFound for what is not in it, whichever way it is named."""
    try:
        path = (folder / name).resolve()
        inside = path.is_relative_to(folder.resolve()) and path.is_file()
    except (OSError, ValueError):
        inside = False
    if not inside:
        raise NotFound(f"Nothing called '{name[:100]}' was kept.")
    media = PICTURES.get(path.suffix.lower(), "text/plain" if kind_of(path) == "text" else ANYTHING)
    return path.read_bytes(), media


def _folder(workspace: Workspace, trial: Trial, fold: int) -> Path:
    return workspace.fits_folder(trial.search_id) / f"{trial.number}-{fold}" / KEEP
