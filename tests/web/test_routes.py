"""Every route that a module of the API or of the pages declares can be reached."""

from __future__ import annotations

import re
from importlib import import_module
from pathlib import Path

import pytest
from fastapi import APIRouter

WEB = Path(__file__).parents[2] / "src/jugum/web"
MODULES = sorted(
    path for folder in ("api", "pages") for path in (WEB / folder).glob("*.py") if path.name != "__init__.py"
)


@pytest.mark.parametrize("path", MODULES, ids=lambda path: f"{path.parent.name}/{path.stem}")
def test_a_module_s_routes_are_all_on_its_router(path: Path) -> None:
    declared = len(re.findall(r"^@router\.(?:get|post|put|delete|patch)\(", path.read_text(), re.MULTILINE))
    module = import_module(f"jugum.web.{path.parent.name}.{path.stem}")
    router = getattr(module, "router", APIRouter())
    assert len(router.routes) == declared
