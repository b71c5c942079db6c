"""The error of what nobody here has brought or allowed."""

from __future__ import annotations

from pellux.core.errors import Conflict


class NotTrusted(Conflict):
    """Own code or a cluster that nobody here has brought, named or allowed."""

    code = "not-trusted"
