"""Fifty readers and ten writers at once: errors, and the 95th percentile of each page as a ratio to the health page's,
asked for in the same minute by the same crowd.

    JUGUM_PORT=8420 bin/demo        in one terminal
    .venv/bin/python -m bench.crowd http://127.0.0.1:8420 [readers=50] [writers=10] [seconds=60]

A reader opens a page, looks at it for one to three seconds, opens another. A writer says a value of a paper of their
own every second or two (six label, two settle), or brings a new paper every five seconds (two), which the workers read
meanwhile.
"""

from __future__ import annotations

import asyncio
import random
import statistics
import sys
import time
from collections import Counter, defaultdict
from dataclasses import dataclass, field
from typing import Any

import httpx2
from tests.client import csrf_token
from tests.papers import slip_pdf, slips

from bench.pages import YARDSTICK, paths_of, signed_in
from jugum.demo.fill import PASSWORD

LOOK = (1.0, 3.0)  # seconds, evenly drawn


@dataclass
class Minute:
    """What came of it: seconds of each page and kind of writing, and what was no good answer."""

    spent: dict[str, list[float]] = field(default_factory=lambda: defaultdict(list))
    wrong: Counter[str] = field(default_factory=Counter)


async def timed(minute: Minute, name: str, asked: Any) -> Any:
    """Wait for an answer and keep how long it took; None for a bad one."""
    begun = time.perf_counter()
    try:
        answer = await asked
    except httpx2.HTTPError as error:
        minute.wrong[f"{name}: {type(error).__name__}"] += 1
        return None
    if answer.status_code >= 400:
        minute.wrong[f"{name}: {answer.status_code} {answer.text[:200]}"] += 1
        return None
    minute.spent[name].append(time.perf_counter() - begun)
    return answer


async def read(
    client: httpx2.AsyncClient, paths: dict[str, str], until: float, chance: random.Random, minute: Minute
) -> None:
    """One reader."""
    await asyncio.sleep(chance.uniform(0, LOOK[1]))
    while time.monotonic() < until:
        page = chance.choice(list(paths))
        await timed(minute, page, client.get(paths[page]))
        await asyncio.sleep(chance.uniform(*LOOK))


async def say(client: httpx2.AsyncClient, where: str, until: float, chance: random.Random, minute: Minute) -> None:
    """One who labels or settles: a value of a paper of their own, again and again."""
    name, number = ("saying a label" if "/labels/" in where else "settling a field"), 0
    while time.monotonic() < until:
        number += 1
        revision = (await client.get(f"/api/v1/documents/{where.split('/')[0]}")).json()["revision"]
        body = {"values": [{"text": f"{number},00"}], "method": "typed", "revision": revision}
        await timed(minute, name, client.put(f"/api/v1/documents/{where}", json=body))
        await asyncio.sleep(chance.uniform(1.0, 2.0))


async def bring(client: httpx2.AsyncClient, kind: int, start: int, until: float, minute: Minute) -> None:
    """One who brings papers."""
    for number, slip in enumerate(slips(1000, start)):
        if time.monotonic() >= until:
            return
        sent = {"file": (f"crowd-{start + number}-{time.time_ns()}.pdf", slip_pdf(slip, number % 3))}
        path = f"/api/v1/types/{kind}/documents"
        await timed(
            minute, "bringing a paper", client.post(path, files=sent, data={"purpose": "live", "again": "true"})
        )
        await asyncio.sleep(5)


def entered(address: str, login: str) -> httpx2.AsyncClient:
    """A session of its own."""
    with httpx2.Client(base_url=address, timeout=60) as door:
        form = {"login": login, "password": PASSWORD, "csrf_token": csrf_token(door)}
        assert door.post("/sign-in", data=form).status_code == 303
        headers = {"X-CSRF-Token": csrf_token(door, "/guide")}
        return httpx2.AsyncClient(base_url=address, cookies=door.cookies, headers=headers, timeout=60)


async def crowd(address: str, readers: int, writers: int, seconds: float) -> Minute:
    """The whole of it."""
    door = signed_in(address)
    paths = paths_of(door)
    kind = int(paths["review"].split("/")[2])
    samples = [sample["id"] for sample in door.get(f"/api/v1/types/{kind}/documents?purpose=sample").json()]
    held = [row["id"] for row in door.get(f"/api/v1/types/{kind}/queue").json()["rows"]]
    keys = [its["key"] for its in door.get(f"/api/v1/types/{kind}/fields").json() if its["kind"] == "value"]
    people = [entered(address, "analyst") for _ in range(readers + writers)]
    minute, chance, until = Minute(), random.Random(1), time.monotonic() + seconds
    work = [read(client, paths, until, random.Random(n), minute) for n, client in enumerate(people[:readers])]
    for n, client in enumerate(people[readers:]):
        if n % 5 == 4:
            work.append(bring(client, kind, 1000 * n, until, minute))
        else:
            paper, path = (held[n // 5], "review") if n % 5 == 3 else (samples[n], "labels")
            work.append(say(client, f"{paper}/{path}/{chance.choice(keys)}", until, random.Random(n), minute))
    await asyncio.gather(*work)
    for client in people:
        await client.aclose()
    return minute


def main() -> bool:
    """Run it and print the figures; returns whether nothing went wrong and every page keeps to the ratio."""
    given = [int(number) for number in sys.argv[2:]]
    readers, writers, seconds = (*given, *(50, 10, 60)[len(given) :])
    minute = asyncio.run(crowd(sys.argv[1], readers, writers, seconds))
    p95 = {name: statistics.quantiles(spent, n=20)[-1] for name, spent in minute.spent.items() if len(spent) > 1}
    print(f"{readers} readers, {writers} writers, {seconds} s: {sum(map(len, minute.spent.values()))} good answers")
    print(f"{'':20}{'answers':>9}{'median ms':>11}{'p95 ms':>9}{'÷ health':>10}")
    for name, spent in minute.spent.items():
        ratio = p95[name] / p95[YARDSTICK]
        print(f"{name:20}{len(spent):9}{1000 * statistics.median(spent):11.0f}{1000 * p95[name]:9.0f}{ratio:10.1f}")
    print(f"{sum(minute.wrong.values())} bad answers")
    for said, count in minute.wrong.most_common(10):
        print(f"  {count} × {said}")
    return not minute.wrong


if __name__ == "__main__":
    sys.exit(0 if main() else 1)
