"""What lies in folders: what fits kept and nothing else is fetched, whichever way it is named; and only allowed folders run."""

from __future__ import annotations

from contextlib import closing
from pathlib import Path

import pytest

from pellux.core.errors import InvalidOwnCode, NotFound
from pellux.engine.artifacts import FileArtifacts, folder_bytes
from pellux.service.planning.code_requests import CodeBriefRequest
from pellux.service.planning.requests import checked
from pellux.service.problems.code_problems import frame_code
from pellux.service.searches.kept_files import content_in
from pellux.service.workspace import Workspace


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
    with kept.folder(4, 0) as place:
        (Path(place) / "weights").write_bytes(b"begun, and not written down when the server was killed")
    kept.keep_only([2], 4)
    assert sorted(str(p.relative_to(tmp_path / "fits")) for p in (tmp_path / "fits").rglob("*") if p.is_file()) == [
        "1-0/keep/picture.png", "2-0/deep/weights", "2-0/keep/picture.png", "4-0/weights"
    ]  # fmt: skip
    kept.forget(None)
    assert not list((tmp_path / "fits").rglob("weights"))
    assert not (tmp_path / "fits" / "3-0").exists()


def test_without_a_folder_named_the_first_allowed_one_that_has_the_script_is_meant(tmp_path: Path) -> None:
    one, two = tmp_path / "one", tmp_path / "two"
    for folder in (one, two):
        folder.mkdir()
    (two / "train.py").write_text("print(1)")
    with closing(Workspace(tmp_path / "w", allowed=[one, two])) as workspace:
        for brief in ({"runs": "python train.py"}, {"function": "train.py:train"}):
            assert frame_code(workspace, checked(CodeBriefRequest, {**brief, "judged by": {"score": "s"}})).folder == str(two)
            with pytest.raises(InvalidOwnCode, match="one"):
                frame_code(workspace, checked(CodeBriefRequest, {**brief, "judged by": {"score": "s"}, "folder": "."}))
        with pytest.raises(InvalidOwnCode, match=f"is no file of {one}"):
            frame_code(workspace, checked(CodeBriefRequest, {"runs": "python gone.py", "judged by": {"score": "s"}}))
        for name in ("x" * 900, "../one", "/etc", "gone"):
            with pytest.raises(InvalidOwnCode):
                frame_code(
                    workspace, checked(CodeBriefRequest, {"runs": "python train.py", "judged by": {"score": "s"}, "folder": name})
                )
        with pytest.raises(InvalidOwnCode, match=r"is not 'file.py:name'"):
            frame_code(workspace, checked(CodeBriefRequest, {"function": f"{'x' * 400}.py:train", "judged by": {"score": "s"}}))
