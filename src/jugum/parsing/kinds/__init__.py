"""What parsing processes do. Each module is one kind of process: it imports all that its work needs, since nothing can
be loaded once the rights are gone, and names its operations.

An operation is given a file's bytes and arguments, and gives pairs of a JSON value and bytes.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

Answers = Iterator[tuple[Any, bytes | memoryview]]


@dataclass(frozen=True)
class Kind:
    """A kind of parsing process: its operations, and what it needs beyond others."""

    operations: Mapping[str, Callable[..., Answers]]
    may_start_programs: bool = False
    megabytes_least: int = 0


__all__ = ["Answers", "Kind"]
