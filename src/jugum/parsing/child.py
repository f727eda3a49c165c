"""The parsing process: forked from one that has loaded what its kind needs, it gives its rights up and answers requests
until its owner goes."""

from __future__ import annotations

import contextlib
import email.mime
import encodings
import gc
import importlib
import os
import pkgutil
import traceback
from functools import cache
from typing import Any

from jugum.errors import JugumError
from jugum.parsing import wire
from jugum.parsing.confine import confine, limit_cpu
from jugum.parsing.kinds import Kind

REQUEST_MOST = 2_100_000_000  # bytes of a file; its owner has checked its size


@cache
def load(kind_name: str) -> Kind:
    """What a kind needs, and what Python looks up by name when a file says so, all encodings and parts of mails:
    nothing can be read once the rights are gone."""
    for package in (encodings, email, email.mime):
        for module in pkgutil.iter_modules(package.__path__):
            with contextlib.suppress(ImportError):  # some are of other systems
                importlib.import_module(f"{package.__name__}.{module.name}")
    kind: Kind = importlib.import_module(f"jugum.parsing.kinds.{kind_name}").KIND
    return kind


def main(kind_name: str, megabytes: int, asked: int, answers: int) -> None:
    """Serve requests from the file descriptor `asked`, until it is closed, on `answers`."""
    for fd in (asked, answers):
        wire.widen(fd)
    kind = load(kind_name)
    os.chdir("/tmp" if kind.may_start_programs else "/")
    held = confine(
        megabytes=max(megabytes, kind.megabytes_least),
        file_megabytes=1000 if kind.may_start_programs else 0,
        may_start_programs=kind.may_start_programs,
    )
    _say(answers, {"ready": True, "filtered": held})
    while True:
        try:
            said, data = wire.receive(asked, REQUEST_MOST)
        except wire.Garbled:
            return
        request = wire.unpacked(said)
        limit_cpu(int(request["seconds"]))
        _answer(answers, kind, request, data)
        del data


def _answer(answers: int, kind: Kind, request: dict[str, Any], data: bytearray) -> None:
    """Answer one request, in as many frames as its work gives; the last says so."""
    try:
        for value, blob in kind.operations[request["do"]](data, **request["with"]):
            _say(answers, {"more": True, "value": value}, blob)
        _say(answers, {"more": False})
    except MemoryError:
        gc.collect()
        _say(answers, {"memory": True})
    except JugumError as error:
        _say(answers, {"error": type(error).__name__, "message": str(error)})
    except Exception as error:  # noqa: BLE001 - whatever a parser trips over is told to the owner, who logs it
        last = traceback.extract_tb(error.__traceback__)[-1]
        _say(answers, {"unexpected": f"{type(error).__name__} at {os.path.basename(last.filename)}:{last.lineno}"})


def _say(fd: int, said: dict[str, Any], blob: bytes | memoryview = b"") -> None:
    wire.send(fd, wire.packed(said), blob)
