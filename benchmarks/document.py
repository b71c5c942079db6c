"""docs/benchmarks.md, of which each benchmark writes its own part and leaves the others as they are."""

from __future__ import annotations

import re
from pathlib import Path

TARGET = Path(__file__).parents[1] / "docs" / "benchmarks.md"


def put(part: str, lines: list[str], target: Path = TARGET, *, aloud: bool = True) -> None:
    """Replace one part of a document, or add it at the end; `aloud`: print it too."""
    begin, end = f"<!-- begin {part} -->", f"<!-- end {part} -->"
    text = "\n".join([begin, "", *lines, "", end])
    whole = target.read_text("utf-8") if target.exists() else "# Benchmarks\n"
    pattern = re.compile(re.escape(begin) + ".*?" + re.escape(end), re.DOTALL)
    whole = pattern.sub(lambda _: text, whole) if pattern.search(whole) else f"{whole.rstrip()}\n\n{text}\n"
    target.write_text(whole, "utf-8")
    if aloud:
        print(text)
