"""Writes the published documents: OpenAPI, and the JSON Schemas of plan and space. `--check` only compares."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

from pellux.service.planning.requests import PlanFile
from pellux.service.planning.spaces import schema
from pellux.web.resources import api

DOCS = Path(__file__).parents[3] / "docs"


def documents() -> dict[str, dict[str, Any]]:
    plan = {"$schema": "https://json-schema.org/draft/2020-12/schema", **PlanFile.model_json_schema()}
    return {"openapi.json": api().document(), "plan.schema.json": plan, "space.schema.json": schema()}


def main() -> int:
    stale = []
    for name, document in documents().items():
        text = json.dumps(document, indent=1, ensure_ascii=False) + "\n"
        path = DOCS / name
        if "--check" in sys.argv:
            stale += [name] if not path.exists() or path.read_text("utf-8") != text else []
        else:
            path.write_text(text, "utf-8")
    if stale:
        print(f"Stale: {', '.join(stale)}. Run make types.")
    return 1 if stale else 0


if __name__ == "__main__":
    sys.exit(main())
