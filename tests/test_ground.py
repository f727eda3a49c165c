"""The ground: settings are documented, locks name no index, the interface has one beam."""

from __future__ import annotations

import os
import shutil
import subprocess
from pathlib import Path

from jugum.settings import Settings

ROOT = Path(__file__).parents[1]


def test_every_setting_stands_in_the_guide_with_its_default() -> None:
    guide = (ROOT / "src/jugum/web/guide.md").read_text()
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


def test_a_failed_installation_is_told_and_not_taken_for_a_good_one(tmp_path: Path) -> None:
    """bin/setup on a machine that has the Debian packages, with a pip that can't install."""
    locks = ("requirements/runtime.lock", "requirements/heic.lock")
    for name in ("bin/setup", "bin/assets", *locks, "pyproject.toml", "package-lock.json"):
        (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
        shutil.copy(ROOT / name, tmp_path / name)
    commands = {
        tmp_path / "fake/dpkg-query": "echo install ok installed",
        tmp_path / "fake/npm": "exit 0",
        tmp_path / ".venv/bin/pip": "echo no space left >&2; exit 1",
        tmp_path / ".venv/bin/python": "exit 0",
    }
    for path, script in commands.items():
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(f"#!/bin/sh\n{script}\n")
        path.chmod(0o755)
    env = {**os.environ, "PATH": f"{tmp_path / 'fake'}:{os.environ['PATH']}"}
    done = subprocess.run([tmp_path / "bin/setup"], env=env, capture_output=True, text=True, check=False)
    assert done.returncode == 1
    assert "no space left" in done.stderr
    assert "Python packages could not be installed" in done.stderr
    assert not (tmp_path / ".venv/jugum-run").exists()
