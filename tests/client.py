"""What clients of a running application do in tests and benches: sign in, ask the API, set up types that read."""

from __future__ import annotations

import os
import re
import time
from collections.abc import Callable
from dataclasses import dataclass
from itertools import count
from typing import Any

import httpx2

from tests.papers import slip_pdf, slips

FIELDS = (("Member", "text", ["Paid by"]), ("Paid on", "date", ["Date"]), ("Amount", "money", ["Total"]))
# Test processes share the application: the names each gives are its own.
_numbers = count(1000 * int(re.sub(r"\D", "", os.environ.get("PYTEST_XDIST_WORKER", "")) or 0) + 1)


def csrf_token(browser: Any, path: str = "/sign-in") -> str:
    """The token of a page, which its scripts and forms send."""
    found = re.search(r'name="csrf" content="([^"]+)"', browser.get(path).text)
    assert found is not None
    return found[1]


def sign_in_client(browser: Any, login: str, password: str) -> None:
    """Sign somebody in, in a client that keeps cookies (of httpx's kind); it then sends the token as scripts do."""
    form = {"login": login, "password": password, "csrf_token": csrf_token(browser)}
    assert browser.post("/sign-in", data=form, follow_redirects=False).status_code == 303
    browser.headers["X-CSRF-Token"] = csrf_token(browser, "/guide")


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


@dataclass
class Client:
    """A client of the API of a running application, signed in as its first administrator."""

    url: str
    api: httpx2.Client
    version_file: bytes = b""

    def call(self, method: str, path: str, **more: Any) -> Any:
        answer = self.api.request(method, f"/api/v1{path}", **more)
        assert answer.status_code < 300, f"{method} {path}: {answer.text}"
        return answer.json() if answer.content else None

    def change(self, method: str, path: str, json: dict[str, Any] | None = None) -> Any:
        """A change of a plan or a paper as it is now."""
        return as_seen(self.call, method, path, json)

    def new_type(self, *, fields: bool = True, checks: bool = False) -> int:
        """A type; what passes is spot-checked only where a test asks for it."""
        number = next(_numbers)
        workspace = self.call("POST", "/workspaces", json={"name": f"Office {number}"})["id"]
        kind: int = self.call("POST", f"/workspaces/{workspace}/types", json={"name": f"Slip {number}"})["id"]
        for name, data_type, printed in FIELDS if fields else ():
            self.change(
                "POST", f"/types/{kind}/fields", json={"name": name, "data_type": data_type, "printed_names": printed}
            )
        if not checks:
            self.call("PUT", f"/types/{kind}/checking", json={"on": False})
        return kind

    def workspace_of(self, kind: int) -> dict[str, Any]:
        """The workspace that holds a type."""
        for workspace in self.call("GET", "/workspaces"):
            if any(its["id"] == kind for its in self.call("GET", f"/workspaces/{workspace['id']}/types")):
                return dict(workspace)
        raise AssertionError(f"no workspace holds type {kind}")

    def upload(self, kind: int, name: str, data: bytes, purpose: str = "sample") -> int:
        sent = {"file": (name, data)}
        document: int = self.call("POST", f"/types/{kind}/documents", files=sent, data={"purpose": purpose})[
            "document_id"
        ]
        return document

    def wait(self, path: str, done: Any, seconds: float = 60) -> Any:
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            answer = self.call("GET", path)
            if done(answer):
                return answer
            time.sleep(0.1)
        raise AssertionError(f"{path} never became what was waited for: {answer}")

    def labelled_samples(self, papers: int = 6, *, amount_of_first: str = "") -> int:
        """A type with some papers labelled from past records (the first amount as given, if it is)."""
        kind = self.new_type()
        rows = ["file,type,field,value"]
        for number, slip in enumerate(slips(papers)):
            self.upload(kind, f"s{number}.pdf", slip_pdf(slip, number % 2))
            truth = {**slip.truth, "amount": amount_of_first} if amount_of_first and not number else slip.truth
            rows += [f's{number}.pdf,,{key},"{text}"' for key, text in truth.items()]
        self.wait(f"/types/{kind}/steps", lambda steps: steps["to_label"] == papers)
        keyed = {"file": ("k.csv", "\n".join(rows).encode())}
        self.call("POST", f"/types/{kind}/labels.csv", files=keyed, data={"complete": "true"})
        return kind

    def labelled_type(self, papers: int = 6, *, amount_of_first: str = "") -> int:
        """The same, and a live version trained from them: seconds of a processor. `reading_type` costs none."""
        kind = self.labelled_samples(papers, amount_of_first=amount_of_first)
        version = self.call("POST", f"/types/{kind}/versions")["id"]
        self.wait(f"/versions/{version}", lambda view: view["state"] == "on trial")
        self.call("POST", f"/versions/{version}/publish")
        return kind

    def reading_type(self, *, checks: bool = False) -> int:
        """A type with no samples, and a live version that came as a file: `labelled_type`'s, trained once a run."""
        if not self.version_file:
            versions = self.call("GET", f"/types/{self.labelled_type()}/versions")
            [trained] = [version for version in versions if version["state"] == "published"]
            self.version_file = self.api.get(f"/api/v1/versions/{trained['id']}/file").content
        kind = self.new_type(checks=checks)
        self.call("POST", f"/versions/{self.bring_version(kind)}/publish")
        return kind

    def bring_version(self, kind: int) -> int:
        """A version on trial from the file of the one that was trained once a run."""
        sent = {"file": ("labelled.jugum-version", self.version_file)}
        return int(self.call("POST", f"/types/{kind}/versions/file", files=sent)["id"])

    def policy(self, kind: int, threshold: float, gate: float = 0.0) -> None:
        body = {"thresholds": dict.fromkeys(("member", "paid_on", "amount"), threshold), "layout_similarity_min": gate}
        self.call("POST", f"/types/{kind}/policies", json=body)
