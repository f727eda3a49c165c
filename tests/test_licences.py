"""Every package that is installed has a licence we know, and what ships carries its licence text."""

from __future__ import annotations

import csv
import importlib.metadata
import json
import re
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]
ROWS = list(csv.DictReader((ROOT / "LICENSES/packages.csv").read_text().splitlines()))
LICENCES = {row["package"]: row["licence"] for row in ROWS}
PERMISSIVE = {"0BSD", "Apache-2.0", "BSD-2-Clause", "BSD-3-Clause", "CC0-1.0", "ISC", "MIT", "MIT-0"}
PERMISSIVE |= {"MIT-CMU", "OFL-1.1", "PSF-2.0", "PostgreSQL", "Zlib"}
WEAK_COPYLEFT = {"LGPL-2.1-only", "LGPL-2.1-or-later", "LGPL-3.0-only", "MPL-2.0"}  # named in NOTICE, or unchanged
TOOLS_ONLY = {
    "Artistic-2.0",
    "BlueOak-1.0.0",
    "Python-2.0",
}  # of npm and of what checks the scripts: nothing of it ships
# What a package's own metadata says in words, where it gives no SPDX expression.
IN_WORDS = {
    "Apache": "Apache-2.0",
    "BSD": "BSD-",
    "MIT": "MIT",
    "ISC": "ISC",
    "Lesser": "LGPL",
    "LGPL": "LGPL",
    "Mozilla": "MPL-2.0",
    "PSFL": "PSF-2.0",
}


def locked() -> list[str]:
    """Every package of the Python locks."""
    text = "\n".join(lock.read_text() for lock in sorted(ROOT.glob("requirements/*.lock")))
    return sorted(set(re.findall(r"^([A-Za-z0-9_.-]+)==", text, re.MULTILINE)))


def test_every_locked_package_has_a_licence_and_no_other_is_listed() -> None:
    npm = json.loads((ROOT / "package-lock.json").read_text())["packages"]
    debian = re.findall(r'wanted="(?:\$wanted )?([^"]+)"', (ROOT / "bin/setup").read_text())
    wanted = {*locked(), *(path.removeprefix("node_modules/") for path in npm if path), *" ".join(debian).split()}
    assert set(LICENCES) == wanted
    assert len(ROWS) == len(LICENCES)


@pytest.mark.parametrize("package", sorted(LICENCES))
def test_its_licence_is_one_we_may_use(package: str) -> None:
    parts = set(re.split(r" (?:AND|OR) ", LICENCES[package]))
    assert parts <= PERMISSIVE | WEAK_COPYLEFT | TOOLS_ONLY


@pytest.mark.parametrize("package", locked())
def test_the_list_agrees_with_what_the_package_says_of_itself(package: str) -> None:
    about = importlib.metadata.metadata(package)
    expression = about.get("License-Expression")
    if expression:
        assert LICENCES[package] == expression
        return
    said = " ".join([(about.get("License") or "")[:60], *(about.get_all("Classifier") or [])])
    words = [spdx for word, spdx in IN_WORDS.items() if re.search(rf"\b{word}", said)]
    assert words, f"{package} names no licence we know of: {said}"
    assert any(spdx in LICENCES[package] for spdx in words)


def test_the_front_end_packages_agree_with_what_they_say_of_themselves() -> None:
    for path, about in json.loads((ROOT / "package-lock.json").read_text())["packages"].items():
        if path:
            assert LICENCES[path.removeprefix("node_modules/")] == about["license"]


def test_every_licence_text_is_named_in_the_notice_and_the_other_way_round() -> None:
    named = set(re.findall(r"LICENSES/([\w.-]+\w)", (ROOT / "NOTICE").read_text()))
    assert named == {path.name for path in (ROOT / "LICENSES").iterdir()}
    for package in LICENCES:
        if "LGPL" in LICENCES[package]:
            assert package.removesuffix("-binary").removesuffix("-pool") in (ROOT / "NOTICE").read_text()


def test_no_dependency_is_asked_for_that_nothing_uses() -> None:
    """Each direct dependency is imported somewhere, or is one that another finds by itself."""
    found_by_others = {"httptools", "uvloop", "python-multipart", "itsdangerous", "rapidocr", "jinja2"}
    modules = {
        "opencv-python-headless": "cv2",
        "pillow": "PIL",
        "scikit-learn": "sklearn",
        "python-crfsuite": "pycrfsuite",
    }
    modules |= {
        "google-re2": "re2",
        "python-stdnum": "stdnum",
        "zxing-cpp": "zxingcpp",
        "pydantic-settings": "pydantic_settings",
    }
    modules |= {"pi-heif": "pi_heif", "markdown-it-py": "markdown_it", "pydantic_core": "pydantic"}
    code = "\n".join(path.read_text() for path in (ROOT / "src").rglob("*.py"))
    for line in "\n".join((ROOT / f"requirements/{name}.in").read_text() for name in ("runtime", "heic")).splitlines():
        package = re.split(r"[\[<>=]", line)[0].strip()
        if package and not line.startswith(("#", "-")) and package not in found_by_others:
            assert re.search(rf"(?:import|from) {modules.get(package, package)}\b", code), package
