"""What row-level security costs: every page with and without it, on the same database, in turns.

    JUGUM_HOME=/tmp/office JUGUM_PORT=8420 bin/demo        in one terminal
    .venv/bin/python -m bench.walls /tmp/office

Two web processes are started beside the running ones. One works as the program's role, for which the policies hold; the
other as the database's owner, for whom they do not. Otherwise they are the same.
"""

from __future__ import annotations

import os
import subprocess
import sys
import time
from pathlib import Path

import httpx2

from bench.pages import compare
from jugum.cluster import Cluster, free_port

SERVE = """
import sys, uvicorn
from jugum.settings import Settings
from jugum.store import database
if sys.argv[2] == "without":
    database.PROGRAM = "nobody, so that the owner stays"
from jugum.web.app import create_app
uvicorn.run(create_app(Settings()), host="127.0.0.1", port=int(sys.argv[1]), log_level="error")
"""


def main(home: str) -> None:
    """Start both, ask, print, end them."""
    env = {**os.environ, "JUGUM_HOME": home, "JUGUM_DATABASE_URL": Cluster(Path(home)).start()}
    ports = [free_port(), free_port()]
    started = [
        subprocess.Popen([sys.executable, "-c", SERVE, str(port), walls], env=env)
        for port, walls in zip(ports, ("with", "without"), strict=True)
    ]
    addresses = [f"http://127.0.0.1:{port}" for port in ports]
    try:
        for address in addresses:
            wait_for(address)
        print("with row-level security, then without:")
        compare(addresses)
    finally:
        for process in started:
            process.terminate()


def wait_for(address: str, seconds: float = 60) -> None:
    """Until it answers."""
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        try:
            httpx2.get(f"{address}/health")
            return
        except httpx2.HTTPError:
            time.sleep(0.1)
    raise TimeoutError(f"{address} does not answer")


if __name__ == "__main__":
    main(sys.argv[1])
