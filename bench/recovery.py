"""How soon an office is back at work after each of its processes is killed (SIGKILL), and after all of them are.

    .venv/bin/python -m bench.recovery [rounds=3]

Back at work: the health page answers, which asks the database, and a paper sent from then on is read. The start command
is started again two seconds after its end, as systemd would.
"""

from __future__ import annotations

import contextlib
import os
import signal
import sys
import time
from itertools import count

import httpx2
from tests.client import Client
from tests.papers import slip_pdf, slips

from bench.faults import SIGNS, victims
from bench.office import Office, running_office

GIVE_UP = 120.0
_numbers = count()


def main(rounds: int = 3) -> bool:
    """Kill and wait; prints the longest time of each kind. Returns whether one takes at most 10 s, all at most 30 s."""
    with running_office() as office:
        client = Client(office.url, office.signed_in())
        kind = client.new_type()
        worst: dict[str, float] = {}
        for _ in range(rounds):
            for name in (*SIGNS, "database", "start command", "all"):
                back_at_work(office, client, kind)
                time.sleep(11)  # a process that ran so long is started again at once
                worst[name] = max(worst.get(name, 0.0), recovered(office, client, kind, name))
    for name, seconds in worst.items():
        print(f"{name:16} {seconds:5.1f} s")
    return all(seconds <= (30 if name in ("all", "start command") else 10) for name, seconds in worst.items())


def recovered(office: Office, client: Client, kind: int, name: str) -> float:
    """Seconds from a kill until the office is back at work."""
    its = [pid for its_name, pid in victims(office) if name in (its_name, "all")]
    assert its, f"there is no {name}"
    begun = time.monotonic()
    for pid in its if name == "all" else its[:1]:
        with contextlib.suppress(ProcessLookupError):
            os.kill(pid, signal.SIGKILL)
    if name in ("all", "start command"):
        office.process.wait()
        time.sleep(2)
        office.start()
    back_at_work(office, client, kind)
    return time.monotonic() - begun


def back_at_work(office: Office, client: Client, kind: int) -> None:
    """Wait until a new paper is taken and read."""
    until, document = time.monotonic() + GIVE_UP, 0
    while time.monotonic() < until:
        with contextlib.suppress(httpx2.HTTPError, AssertionError):
            assert httpx2.get(f"{office.url}/health", timeout=2).status_code == 200
            number = next(_numbers)
            document = document or client.upload(kind, f"{number}.pdf", slip_pdf(slips(1, number)[0]))
            if client.call("GET", f"/documents/{document}")["state"] == "to label":
                return
        time.sleep(0.1)
    raise TimeoutError(f"not back at work after {GIVE_UP:.0f} s")


if __name__ == "__main__":
    sys.exit(0 if main(*map(int, sys.argv[1:])) else 1)
