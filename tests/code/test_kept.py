"""What fits kept is listed and fetched, and nothing else is, whichever way it is named."""

from __future__ import annotations

from pathlib import Path

import pytest

from pellux.core.errors import NotFound
from pellux.engine.artifacts import FileArtifacts, folder_bytes
from pellux.service.searches.kept_files import content_in


@pytest.mark.parametrize(
    "name", ["../secret.txt", "/etc/passwd", "link.txt", "sub/../../secret.txt", "sub", "", "gone", "a\0b", "x" * 5000]
)
def test_what_is_not_in_the_folder_is_not_there(tmp_path: Path, name: str) -> None:
    folder = tmp_path / "keep"
    (folder / "sub").mkdir(parents=True)
    (tmp_path / "secret.txt").write_text("secret")
    (folder / "link.txt").symlink_to(tmp_path / "secret.txt")
    with pytest.raises(NotFound, match="was kept"):
        content_in(folder, name)


def test_only_pictures_and_texts_are_shown_as_such(tmp_path: Path) -> None:
    for name, media in (
        ("a.png", "image/png"), ("a.JPG", "image/jpeg"), ("a.csv", "text/plain"), ("a.html", "application/octet-stream"),
        ("a.svg", "application/octet-stream"), ("model", "application/octet-stream"),
    ):  # fmt: skip
        (tmp_path / name).write_bytes(b"<script>")
        assert content_in(tmp_path, name) == (b"<script>", media)


def test_folders_of_ended_trials_are_cleared_but_for_what_they_keep(tmp_path: Path) -> None:
    kept = FileArtifacts(tmp_path / "checkpoints", tmp_path / "fits")
    for trial in (1, 2, 3):
        with kept.folder(trial, 0) as place:
            (Path(place) / "deep").mkdir()
            (Path(place) / "deep" / "weights").write_bytes(b"x" * 100)
            if trial != 3:
                (Path(place) / "keep").mkdir()
                (Path(place) / "keep" / "picture.png").write_bytes(b"p" * 9)
    assert kept.sizes("checkpoint") == {1: {0: 100}, 2: {0: 100}, 3: {0: 100}}
    assert folder_bytes(tmp_path / "fits" / "1-0") == 100, "what is kept is no checkpoint"
    kept.keep_only([2])
    assert sorted(str(p.relative_to(tmp_path / "fits")) for p in (tmp_path / "fits").rglob("*") if p.is_file()) == [
        "1-0/keep/picture.png", "2-0/deep/weights", "2-0/keep/picture.png"
    ]  # fmt: skip
    kept.forget(None)
    assert not list((tmp_path / "fits").rglob("weights"))
    assert not (tmp_path / "fits" / "3-0").exists()
