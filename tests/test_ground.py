"""The ground: settings are documented, locks name no index, the interface has one beam."""

from __future__ import annotations

from pathlib import Path

from jugum.settings import Settings

ROOT = Path(__file__).parents[1]


def test_every_setting_stands_in_the_guide_with_its_default() -> None:
    guide = (ROOT / "docs/guide.md").read_text()
    for name, field in Settings.model_fields.items():
        assert f"`JUGUM_{name.upper()}`" in guide, name
        assert field.description, name


def test_locks_name_no_index_address() -> None:
    for lock in [*ROOT.glob("requirements/*.lock"), ROOT / "package-lock.json", ROOT / "pyproject.toml"]:
        text = lock.read_text()
        assert '"resolved"' not in text, lock
        assert "index-url" not in text, lock
        assert "--find-links" not in text, lock


def test_every_pinned_package_has_its_hash() -> None:
    for lock in ROOT.glob("requirements/*.lock"):
        for block in lock.read_text().split("\n\n"):
            for line in block.splitlines():
                if "==" in line and not line.strip().startswith("#"):
                    assert line.rstrip().endswith("\\"), line
