"""Changes by a client that has just looked."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any


def as_seen(call: Callable[..., Any], method: str, path: str, json: dict[str, Any] | None = None, **more: Any) -> Any:
    """A change with the number of the plan, or the revision of the paper, that is there now; `call` asks the API."""
    found = re.match(r"/(types|documents)/([0-9]+)/", path)
    assert found is not None
    kind, number = found.groups()
    known = (
        {"number": call("GET", f"/types/{number}/plan")["number"]}
        if kind == "types"
        else {"revision": call("GET", f"/documents/{number}")["revision"]}
    )
    if json is None:
        return call(method, path, params=known, **more)
    return call(method, path, json={**json, **known}, **more)
