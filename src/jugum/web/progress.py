"""Answers that tell how far the work is while it goes on, for what takes long with somebody waiting.

A client that accepts `application/x-ndjson` gets one JSON object a line: `{"done": 12, "of": 300}` whenever the work
has gone on, at last `{"result": …}`, or `{"error": …, "status": …}` where it could not be done. Any other client gets
the result alone, as JSON.
"""

from __future__ import annotations

import contextvars
import json
import threading
import time
from collections.abc import AsyncIterator, Callable
from queue import SimpleQueue
from typing import Any

from fastapi import Request
from fastapi.encoders import jsonable_encoder
from fastapi.responses import StreamingResponse

from jugum.errors import JugumError
from jugum.web.failures import status_of, unexpected
from jugum.web.threads import in_long_thread

LINES = "application/x-ndjson"
TOLD_EVERY = 0.2  # seconds
Told = Callable[[int, int], None]
Line = dict[str, Any]


def telling(request: Request, work: Callable[[Told], Any]) -> Any:
    """What `work` gives, which is handed a function to tell how much of how much is done. Once begun it is done to its
    end, even when nobody listens any more."""
    if LINES not in request.headers.get("accept", ""):
        return work(lambda done, of: None)
    # Compressing would hold lines back until enough of them are there.
    return StreamingResponse(_lines(work, request.url.path), media_type=LINES, headers={"Content-Encoding": "identity"})


async def _lines(work: Callable[[Told], Any], path: str) -> AsyncIterator[str]:
    lines: SimpleQueue[Line] = SimpleQueue()
    here = contextvars.copy_context()  # what the request may see, its thread may
    threading.Thread(target=here.run, args=(_run, work, lines, path), daemon=True).start()
    while True:
        line = await in_long_thread(lines.get)
        yield json.dumps(line, ensure_ascii=False) + "\n"
        if "done" not in line:
            return


def _run(work: Callable[[Told], Any], lines: SimpleQueue[Line], path: str) -> None:
    last = 0.0

    def told(done: int, of: int) -> None:
        nonlocal last
        if time.monotonic() - last >= TOLD_EVERY:
            last = time.monotonic()
            lines.put({"done": done, "of": of})

    try:
        lines.put({"result": jsonable_encoder(work(told))})
    except JugumError as error:
        lines.put({"error": str(error), "status": status_of(error)})
    except Exception as error:  # noqa: BLE001 - the answer has begun: the line tells it, the log has it
        lines.put({"error": unexpected(error, path), "status": 500})
