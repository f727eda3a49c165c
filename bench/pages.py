"""95th percentile of every page's response with the demo data, as ratios to the simplest page.

    JUGUM_PORT=8420 bin/demo        in one terminal
    .venv/bin/python -m bench.pages http://127.0.0.1:8420

Each page is asked for 60 times, in turns, so that a slow moment of the machine touches all alike.
"""

from __future__ import annotations

import re
import statistics
import sys
import time

import httpx2

from jugum.demo.fill import PASSWORD

ROUNDS = 60


def main() -> None:
    with httpx2.Client(base_url=sys.argv[1], follow_redirects=True, timeout=60) as client:
        token = re.search(r'csrf" content="([^"]+)', client.get("/sign-in").text)
        assert token is not None
        client.post("/sign-in", data={"login": "analyst", "password": PASSWORD, "csrf_token": token.group(1)})
        kind = client.get("/api/v1/workspaces/1/types").json()[0]["id"]
        sample = client.get(f"/api/v1/types/{kind}/documents?purpose=sample&state=to label").json()[0]["id"]
        held = client.get(f"/api/v1/types/{kind}/queue").json()["rows"][0]["id"]
        version = client.get(f"/api/v1/types/{kind}/versions").json()[0]["id"]
        paths = {
            "health (yardstick)": "/health",
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
        times: dict[str, list[float]] = {name: [] for name in paths}
        for turn in range(ROUNDS + 3):
            for name, path in paths.items():
                started = time.perf_counter()
                client.get(path).raise_for_status()
                if turn >= 3:
                    times[name].append(1000 * (time.perf_counter() - started))
    base = statistics.median(times["health (yardstick)"])
    print(f"{'page':20} {'median ms':>10} {'p95 ms':>8} {'p95 ÷ yardstick median':>24}")
    for name, spent in times.items():
        p95 = statistics.quantiles(spent, n=20)[-1]
        print(f"{name:20} {statistics.median(spent):10.1f} {p95:8.1f} {p95 / base:24.1f}")


if __name__ == "__main__":
    main()
