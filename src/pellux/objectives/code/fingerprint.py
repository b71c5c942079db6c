"""Which files are somebody's code, and their fingerprint: another one is another program, whose scores are not comparable."""

from __future__ import annotations

import ast
import hashlib
import os
from collections.abc import Iterable, Sequence
from pathlib import Path

from pellux.core.errors import InvalidOwnCode
from pellux.core.objective import Unavailable
from pellux.core.reasons import because

INTERPRETERS = ("python", "Rscript", "node", "julia", "bash", "sh", "perl", "ruby", "java", "deno", "bun", "lua", "octave", "php")
UNHARMING = ("-u", "-O", "-OO", "-B", "-s", "-E", "-I", "-P", "--vanilla", "--no-save")
MOST_BYTES = 64 * 2**20


def script_of(runs: Sequence[str], folder: Path) -> Path:
    """The file of the folder that a command runs; InvalidOwnCode where it runs something else.

    Either the executable lies in the folder, or an interpreter is given a file of it, or `-m` and a module of it: what is
    typed into a command alone, such as `bash -c`, is not code of an allowed folder.
    """
    if not runs:
        raise InvalidOwnCode("The command is empty. Write how the program is started, such as python train.py.", at="brief.runs")
    own = file_inside(runs[0], folder) if "/" in runs[0] else None
    if own is not None:
        return own
    name = os.path.basename(runs[0])
    if not any(
        name == known or (name.startswith(known) and name[len(known) :].replace(".", "").isdigit()) for known in INTERPRETERS
    ):
        raise InvalidOwnCode(
            f"'{runs[0]}' is neither a file of {folder} nor an interpreter ({', '.join(INTERPRETERS)}). Write ./{runs[0]} for a file.",
            at="brief.runs",
        )
    rest = list(runs[1:])
    while rest and rest[0] in UNHARMING:
        rest.pop(0)
    if len(rest) > 1 and rest[0] == "-m":
        place = rest[1].replace(".", "/")
        found = file_inside(f"{place}.py", folder) or file_inside(f"{place}/__main__.py", folder)
    else:
        found = file_inside(rest[0], folder) if rest else None
    if found is None:
        given = rest[0] if rest else "nothing"
        raise InvalidOwnCode(f"{runs[0]} is given {given}, which is no file of {folder}.", at="brief.runs")
    return found


def file_inside(name: str, folder: Path) -> Path | None:
    """A file of the folder by its name; None for what is not in it, whichever way it is named."""
    try:
        path = (folder / name).resolve()
        return path if path.is_relative_to(folder.resolve()) and path.is_file() else None
    except (OSError, ValueError):
        return None


def files_of(script: Path, folder: Path, named: Iterable[str] = ()) -> tuple[str, ...]:
    """The script, the Python files of the folder that it imports, and those that are named; relative to the folder."""
    root, found, ahead = folder.resolve(), dict[Path, None](), [script]
    for name in named:
        path = file_inside(name, folder)
        if path is None:
            raise InvalidOwnCode(f"There is no file {name} in {folder}.", at="brief.files")
        ahead.append(path)
    while ahead:
        path = ahead.pop(0)
        if path not in found:
            found[path] = None
            ahead += _imported(path, root)
    return tuple(str(path.relative_to(root)) for path in found)


def _imported(path: Path, root: Path) -> list[Path]:
    """Files of the folder that a Python file imports."""
    if path.suffix != ".py":
        return []
    try:
        tree = ast.parse(path.read_bytes())
    except (OSError, SyntaxError, ValueError, RecursionError):
        return []
    names: list[str] = []
    for node in ast.walk(tree):
        if isinstance(node, ast.Import):
            names += [alias.name for alias in node.names]
        elif isinstance(node, ast.ImportFrom):
            # `from . import parts` in a package is looked for beside the file too
            origin = node.module or ""
            names += [origin, *(f"{origin}.{alias.name}".strip(".") for alias in node.names)]
    found = []
    for name in dict.fromkeys(name for name in names if name):
        for base in (path.parent, root):
            module = base / name.replace(".", "/")
            for candidate in (module.with_suffix(".py"), module / "__init__.py"):
                if candidate.is_file() and candidate.resolve().is_relative_to(root):
                    found.append(candidate.resolve())
    return found


def fingerprint(folder: Path, files: Sequence[str]) -> str:
    """SHA-256 of the files' names and contents; InvalidOwnCode where one cannot be read."""
    digest = hashlib.sha256()
    for name in sorted(files):
        try:
            content = (folder / name).read_bytes()
        except OSError as error:
            raise InvalidOwnCode(f"{folder / name} cannot be read: {error.strerror}.", at="brief.runs") from None
        if len(content) > MOST_BYTES:
            raise InvalidOwnCode(f"{name} is larger than {MOST_BYTES // 2**20} MB: that is no code.", at="brief.files")
        digest.update(f"{len(name.encode())} {name} {len(content)} ".encode() + content)
    return digest.hexdigest()


class Watch:
    """Tells whether files are still as they were, at the cost of a look at their times."""

    def __init__(self, folder: Path, files: Sequence[str], expected: str) -> None:
        self._folder, self._files, self._expected = folder, files, expected
        self._seen: list[tuple[int, int, int]] | None = None

    def changed(self) -> str:
        """The name of a file that is not what it was, or is gone; empty when all are as expected; InvalidOwnCode where one cannot be read."""
        try:
            now = [(s.st_mtime_ns, s.st_size, s.st_ino) for s in ((self._folder / name).stat() for name in self._files)]
        except OSError as error:
            return str(error.filename or self._files[0])
        if now != self._seen:
            if fingerprint(self._folder, self._files) != self._expected:
                return ", ".join(self._files)
            self._seen = now
        return ""

    def require_the_same(self) -> None:
        """Unavailable unless the code is as it was when the problem was framed: scores of another code are not comparable."""
        try:
            changed = self.changed()
        except InvalidOwnCode as error:
            raise Unavailable(because("code gone", why=error.message)) from None
        if changed:
            raise Unavailable(because("code changed", files=changed))
