"""One file a resource; each adds its operations to the API."""

from pellux.web.api import Api
from pellux.web.resources import (
    code_problems,
    data,
    decisions,
    evidence,
    fronts,
    judging,
    leases,
    machines,
    own_code,
    preparation,
    problems,
    runs,
    searches,
    stopping,
    trials,
    workspace,
)


def api() -> Api:
    found = Api()
    for resource in (
        workspace,
        data,
        own_code,
        code_problems,
        problems,
        preparation,
        searches,
        trials,
        fronts,
        runs,
        evidence,
        judging,
        decisions,
        stopping,
        leases,
        machines,
    ):
        resource.add(found)
    return found
