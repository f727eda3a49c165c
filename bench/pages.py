"""95th percentile of every page's response with the demo data, as ratios to the simplest page; of several
applications (a release and the one before it) side by side.

    JUGUM_PORT=8420 bin/demo        in one terminal
    .venv/bin/python -m bench.pages http://127.0.0.1:8420 [http://127.0.0.1:8421 …]

Each page of each application is asked for 60 times, in turns, so that a slow moment of the machine touches all alike.
"""

from __future__ import annotations

import statistics
import sys
import time
from typing import Any

import httpx2
from tests.client import sign_in_client

from jugum.demo.fill import PASSWORD

ROUNDS = 60
WARM = 3  # first rounds that are not counted
YARDSTICK = "health (yardstick)"


def signed_in(address: str) -> httpx2.Client:
    """A client of an application, signed in as the demo's analyst."""
    client = httpx2.Client(base_url=address, follow_redirects=True, timeout=60)
    sign_in_client(client, "analyst", PASSWORD)
    return client


def paths_of(client: httpx2.Client) -> dict[str, str]:
    """Page → path, for the type with the most papers waiting for review."""

    def queue(kind: dict[str, Any]) -> list[dict[str, Any]]:
        rows: list[dict[str, Any]] = client.get(f"/api/v1/types/{kind['id']}/queue").json()["rows"]
        return rows

    chosen = max(client.get("/api/v1/workspaces/1/types").json(), key=lambda kind: len(queue(kind)))
    kind, held = chosen["id"], queue(chosen)[0]["id"]
    sample = client.get(f"/api/v1/types/{kind}/documents?purpose=sample&state=to label").json()[0]["id"]
    version = client.get(f"/api/v1/types/{kind}/versions").json()[0]["id"]
    return {
        YARDSTICK: "/health",
        "overview": "/",
        "gather": f"/types/{kind}/gather",
        "plan": f"/types/{kind}/plan",
        "label": f"/types/{kind}/label",
        "label desk": f"/api/v1/documents/{sample}/label-desk",
        "train": f"/types/{kind}/train",
        "report": f"/types/{kind}/train/{version}",
        "weigh": f"/types/{kind}/weigh",
        "review": f"/types/{kind}/review",
        "review desk": f"/api/v1/documents/{held}/review-desk",
        "deliver": f"/types/{kind}/deliver",
    }


def compare(addresses: list[str]) -> None:
    """Ask all for all pages in turns, and print the figures side by side."""
    clients = [signed_in(address) for address in addresses]
    paths = [paths_of(client) for client in clients]
    times: dict[tuple[str, int], list[float]] = {(page, n): [] for page in paths[0] for n in range(len(clients))}
    for turn in range(ROUNDS + WARM):
        for page in paths[0]:
            for n, client in enumerate(clients):
                started = time.perf_counter()
                client.get(paths[n][page]).raise_for_status()
                if turn >= WARM:
                    times[page, n].append(1000 * (time.perf_counter() - started))
    print(f"{'page':20}" + f"{'median ms':>11} {'p95 ms':>8} {'÷ yardstick':>12}" * len(clients))
    for page in paths[0]:
        print(f"{page:20}" + "".join(_figures(times, page, n) for n in range(len(clients))))


def _figures(times: dict[tuple[str, int], list[float]], page: str, n: int) -> str:
    spent = times[page, n]
    p95 = statistics.quantiles(spent, n=20)[-1]
    base = statistics.median(times[YARDSTICK, n])
    return f"{statistics.median(spent):11.1f} {p95:8.1f} {p95 / base:12.1f}"


if __name__ == "__main__":
    compare(sys.argv[1:])
