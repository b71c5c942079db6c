"""A configuration as text to take away."""

from __future__ import annotations

import json
import pprint
from typing import Any

import tomli_w
import yaml

from pellux.core.errors import InvalidPlan

FORMATS = ("json", "yaml", "toml", "python")


def configuration_text(configuration: dict[str, Any], format: str) -> str:
    match format:
        case "json":
            return json.dumps(configuration, indent=2, ensure_ascii=False) + "\n"
        case "yaml":
            return str(yaml.safe_dump(configuration, sort_keys=False, allow_unicode=True))
        case "toml":
            return tomli_w.dumps(configuration)
        case "python":
            return f"settings = {pprint.pformat(configuration, sort_dicts=False)}\n"
    raise InvalidPlan(f"Format '{format}' is unknown. Allowed: {', '.join(FORMATS)}.", at="format")
