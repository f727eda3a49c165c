"""The whole API with generated requests: server errors, requests without an answer, answers that its description does
not know.

    .venv/bin/python -m bench.api [examples=50] [seed=1]

An office is started as people start it, with a type that reads, papers in every state, batches and lists. Each
operation gets so many valid requests and so many that break its description, as an administrator.
"""

from __future__ import annotations

import re
import sys
import time
from typing import Any

import httpx2
import requests
from tests.client import Client
from tests.generated import ask_all
from tests.papers import slip_pdf, slips

from bench.office import Office, running_office


def filled(office: Office) -> tuple[Client, dict[str, list[Any]]]:
    """A client, and ids of what is there by the name of the path's parameter."""
    client = Client(office.url, office.signed_in())
    kind = client.labelled_type(6)
    workspace = client.workspace_of(kind)["id"]
    client.change("POST", f"/types/{kind}/fields", {"name": "Goods", "kind": "table", "columns": [{"name": "Item"}]})
    check = client.change("PUT", f"/types/{kind}/checks", {"expression": "amount > 0", "message": "Nothing paid"})
    client.call("PUT", f"/workspaces/{workspace}/lists/members", json={"entries": ["Oddny Strand"]})
    batch = client.call("POST", f"/workspaces/{workspace}/batches", json={"name": "Post"})["id"]
    live = [client.upload(kind, f"live{n}.pdf", slip_pdf(slip, n % 2), "live") for n, slip in enumerate(slips(4, 20))]
    samples = [client.upload(kind, f"more{n}.pdf", slip_pdf(slip, n % 2)) for n, slip in enumerate(slips(4, 40))]
    client.wait(f"/types/{kind}/steps", lambda steps: steps["to_label"] == len(samples))
    for paper in live:
        client.wait(f"/documents/{paper}", lambda view: view["state"] in ("held", "passed"))
    versions = [version["id"] for version in client.call("GET", f"/types/{kind}/versions")]
    known: dict[str, list[Any]] = {
        "workspace_id": [workspace],
        "type_id": [kind],
        "document_id": [*live, *samples],
        "version_id": versions,
        "batch_id": [batch],
        "key": ["member", "paid_on", "amount", "goods", "goods.item", check["key"]],
        "number": [1],
        "name": ["members"],
        "kind": ["json", "hocr", "alto", "text", "csv", "xlsx", "pdf", "jsonl"],
        "version": [1, 2],
        "table": ["summary", "fields"],
        "layout_group_id": [1, 2],
    }
    return client, known


def main(examples: int = 50, start: int = 1) -> bool:
    """Run it and say what was found; returns whether nothing was."""
    with running_office() as office:
        client, known = filled(office)
        description = client.call("GET", "/openapi.json")
        begun = time.monotonic()
        found = ask_all(description, office.url, _session(client.api), known, examples=examples, start=start)
        seconds = time.monotonic() - begun
        health = client.api.get("/health").status_code
    operations = sum(len(methods) for methods in description["paths"].values())
    statuses = ", ".join(f"{count} × {status}" for status, count in sorted(found.answers.items()))
    print(f"{sum(found.answers.values())} answers of {operations} operations in {seconds:.0f} s: {statuses}")
    print(f"slowest {found.slowest[0]:.1f} s ({found.slowest[1]}); health afterwards {health}")
    for (label, fault), said in sorted(found.faults.items()):
        print(f"\n{label}: {fault}\n  {re.sub(chr(10), chr(10) + '  ', said)}")
    print(f"\n{len(found.faults)} faults")
    return not found.faults and health == 200


def _session(api: httpx2.Client) -> requests.Session:
    session = requests.Session()
    session.cookies.update(dict(api.cookies))
    session.headers["X-CSRF-Token"] = api.headers["X-CSRF-Token"]
    return session


if __name__ == "__main__":
    sys.exit(0 if main(*map(int, sys.argv[1:])) else 1)
