"""Papers arrive while processes are killed: what is lost, doubled or stuck, and how long nobody answers.

    .venv/bin/python -m bench.faults [papers=1000] [kills=100] [seed=1]

An office is started as people start it. Papers are sent one after another; what gets no receipt is sent again, as a
client would. In between, a process is killed (SIGKILL) at random moments: a web process, a worker, a process that opens
files, one that others are forked from, the database or one of its servers, or the start command itself, which is then
started again as systemd would. At the end every paper must be there once, read, and every receipt must be true.
"""

from __future__ import annotations

import contextlib
import os
import random
import signal
import sys
import threading
import time
from collections import Counter
from dataclasses import dataclass, field

import httpx2
import psycopg
from tests.papers import slip_pdf, slips
from tests.processes import command_of, descendants_of

from bench.office import Office, running_office

PAUSE = (0.5, 4.0)  # seconds between two kills, evenly drawn
DONE_SECONDS = 900.0
# Process → what stands in the words it was started with.
SIGNS = {
    "parser": "jugum parsing",
    "fork server": "jugum.forkserver",
    "web process": "jugum web",
    "worker": "jugum worker",
    "trainer": "jugum trainer",
    "database server": "postgres:",
}
FINAL = {"to label", "set aside", "unpacked", "unplaced"}


@dataclass
class Outcome:
    """What came of it."""

    receipts: dict[int, int] = field(default_factory=dict)  # number of the paper → document
    sendings: int = 0
    starts: int = 0  # of the start command, after the first
    gave_up: list[str] = field(default_factory=list)  # what it said last where it ended by itself
    kills: list[tuple[float, str]] = field(default_factory=list)  # when (monotonic seconds), what
    longest: tuple[float, float] = (0.0, 0.0)  # the longest time without an answer: from, to

    @property
    def killed(self) -> Counter[str]:
        return Counter(name for _, name in self.kills)


def victims(office: Office) -> list[tuple[str, int]]:
    """Every process of the office, by what it is. A database that has outlived a start command is taken over by
    the next, whose child it is not."""
    found = [("start command", office.process.pid)]
    with contextlib.suppress(OSError, ValueError, IndexError):
        found.append(("database", int((office.home / "cluster/data/postmaster.pid").read_text().splitlines()[0])))
    pids = {pid for _, top in found for pid in descendants_of(top)} - {pid for _, pid in found}
    for pid in sorted(pids):
        said = " ".join(command_of(pid))
        name = next((name for name, sign in SIGNS.items() if sign in said), None)
        if name is not None:
            found.append((name, pid))
    return found


def send(client: httpx2.Client, kind: int, papers: list[bytes], outcome: Outcome) -> None:
    """Every paper, again until there is a receipt for it."""
    for number, data in enumerate(papers):
        while number not in outcome.receipts:
            outcome.sendings += 1
            try:
                answer = client.post(
                    f"/api/v1/types/{kind}/documents",
                    files={"file": (f"paper-{number}.pdf", data)},
                    data={"purpose": "sample"},
                )
            except httpx2.HTTPError:
                time.sleep(0.3)
                continue
            if answer.status_code == 201:
                outcome.receipts[number] = answer.json()["document_id"]
            else:
                assert answer.status_code >= 500, answer.text
                time.sleep(0.3)


def watch(office: Office, outcome: Outcome, ended: threading.Event) -> None:
    """Ask all the time whether anybody answers; the longest time without is kept. A start command that has ended is
    started again after two seconds, as systemd would."""
    last = time.monotonic()
    with httpx2.Client(base_url=office.url, timeout=2) as client:
        while not ended.wait(0.1):
            if (code := office.process.poll()) is not None:
                if code != -signal.SIGKILL:
                    outcome.gave_up.append((office.home / "said.txt").read_text()[-600:])
                outcome.starts += 1
                time.sleep(2)
                office.start()
            with contextlib.suppress(httpx2.HTTPError):
                if client.get("/health").status_code == 200:
                    last = time.monotonic()
            outcome.longest = max(
                outcome.longest, (last, time.monotonic()), key=lambda silence: silence[1] - silence[0]
            )


def kill(office: Office, outcome: Outcome, kills: int, chance: random.Random, ended: threading.Event) -> None:
    """So many kills at random moments. What is killed is drawn first and does not depend on what is there: where it is
    not there, the moment passes. Drawn from what is there, the start command would be killed whenever it starts, since
    it is alone then."""
    names = ["start command", "database", *SIGNS]
    while len(outcome.kills) < kills and not ended.wait(chance.uniform(*PAUSE)):
        # With the start command everything is gone for some seconds: it is not the only thing that is killed.
        name = chance.choices(names, [1 if name == "start command" else 6 for name in names])[0]
        pids = [pid for its, pid in victims(office) if its == name]
        with contextlib.suppress(ProcessLookupError):
            if pids:
                os.kill(chance.choice(pids), signal.SIGKILL)
                outcome.kills.append((time.monotonic(), name))


def main(count: int = 1000, kills: int = 100, seed: int = 1) -> bool:
    """Run it and say what came of it; returns whether all is as it must be."""
    papers = [slip_pdf(slip, number % 3) for number, slip in enumerate(slips(count))]
    assert len(set(papers)) == count
    outcome, ended = Outcome(), threading.Event()
    with running_office() as office:
        client = office.signed_in()
        workspace = client.post("/api/v1/workspaces", json={"name": "Faults"}).json()["id"]
        kind = client.post(f"/api/v1/workspaces/{workspace}/types", json={"name": "Slip"}).json()["id"]
        killing = threading.Thread(target=kill, args=(office, outcome, kills, random.Random(seed), ended))
        threads = [threading.Thread(target=watch, args=(office, outcome, ended)), killing]
        begun = time.monotonic()
        try:
            for thread in threads:
                thread.start()
            send(client, kind, papers, outcome)
            killing.join()
            rows = wait_until_read(office, kind)
        finally:
            ended.set()
            for thread in threads:
                thread.join()
        return report(outcome, rows, count, time.monotonic() - begun)


def wait_until_read(office: Office, kind: int) -> list[tuple[int, str, str]]:
    """Id, state and reason of every paper, once none waits any more or nothing has changed for long."""
    until = time.monotonic() + DONE_SECONDS
    while True:
        rows: list[tuple[int, str, str]] = []
        with contextlib.suppress(psycopg.Error, OSError), psycopg.connect(office.database()) as connection:
            rows = connection.execute(
                "SELECT id, state, coalesce(reason, '') FROM document WHERE type_id = %s ORDER BY id", [kind]
            ).fetchall()
        if (rows and all(state in FINAL for _, state, _ in rows)) or time.monotonic() > until:
            return rows
        time.sleep(1)


def report(outcome: Outcome, rows: list[tuple[int, str, str]], count: int, seconds: float) -> bool:
    """Print what came of it."""
    there = {document for document, _, _ in rows}
    lost = sum(document not in there for document in outcome.receipts.values()) + count - len(outcome.receipts)
    doubled = len(rows) - len(set(outcome.receipts.values()))
    stuck = [(state, why) for _, state, why in rows if state not in FINAL]
    aside = [(state, why) for _, state, why in rows if state == "set aside"]
    kinds = ", ".join(f"{name} {times}" for name, times in sorted(outcome.killed.items()))
    print(f"{count} papers, {outcome.sendings} sendings, {len(outcome.kills)} kills ({kinds}), {outcome.starts} starts")
    print(f"lost {lost}, doubled {doubled}, stuck {len(stuck)}, set aside {len(aside)}")
    for said in outcome.gave_up:
        print(f"  the start command gave up: {said}")
    for state, why in (*stuck[:5], *aside[:5]):
        print(f"  {state}: {why}")
    first, last = outcome.longest
    meanwhile = ", ".join(f"{name} at {at - first:.0f} s" for at, name in outcome.kills if first - 1 <= at <= last)
    print(f"longest time without an answer {last - first:.1f} s (killed: {meanwhile}); all read after {seconds:.0f} s")
    return not (lost or doubled or stuck or aside)


if __name__ == "__main__":
    sys.exit(0 if main(*map(int, sys.argv[1:])) else 1)
