"""What the processes log: one JSON object a line on standard error.

A traceback says where, never with what: values of local variables hold passwords and people's data, and to write them
out costs seconds. What a secret's name or shape gives away is blotted out wherever it stands.
"""

from __future__ import annotations

import logging
import re
import sys
from typing import Any

import structlog
from structlog.typing import EventDict, Processor, WrappedLogger

BLOTTED = "[secret]"
_NAMES = re.compile(r"passw|secret|token|api_?key|authorization|cookie|credential|hash$", re.IGNORECASE)
_SHAPES = (
    re.compile(r"jug_[A-Za-z0-9_-]{16,}"),  # an API key
    re.compile(r"\$argon2[^\s'\",)]+"),  # a password's hash
    re.compile(r"(?<=://)[^/\s:@]*:[^/\s@]+(?=@)"),  # login and password in an address
    re.compile(r"(?<=Bearer )\S+"),
    re.compile(r"(?i)(?<=password=)[^&\s]+"),
)
TEXT_MAX = 4000  # letters of one value: what somebody sent us is no reason for a line of megabytes


def blotted(value: Any, name: str = "") -> Any:
    """A value to be logged without what a secret's name or shape gives away, at any depth."""
    if name and _NAMES.search(name):
        return BLOTTED
    if isinstance(value, str):
        for shape in _SHAPES:
            value = shape.sub(BLOTTED, value)
        return value if len(value) <= TEXT_MAX else f"{value[:TEXT_MAX]}… ({len(value)} letters)"
    if isinstance(value, dict):
        return {str(key): blotted(part, str(key)) for key, part in value.items()}
    if isinstance(value, list | tuple):
        return [blotted(part) for part in value]
    return value


def _without_secrets(logger: WrappedLogger, method: str, event: EventDict) -> EventDict:
    return {key: blotted(value, key) for key, value in event.items()}


def configure() -> None:
    """Log so in this process, what libraries log included."""
    shared: list[Processor] = [
        structlog.contextvars.merge_contextvars,
        structlog.stdlib.add_log_level,
        structlog.processors.TimeStamper(fmt="iso", utc=True),
        structlog.processors.ExceptionRenderer(structlog.tracebacks.ExceptionDictTransformer(show_locals=False)),
        _without_secrets,
    ]
    structlog.configure(
        processors=[*shared, structlog.processors.JSONRenderer(ensure_ascii=False, default=str)],
        wrapper_class=structlog.make_filtering_bound_logger(logging.INFO),
        logger_factory=structlog.PrintLoggerFactory(sys.stderr),
        cache_logger_on_first_use=False,
    )
    handler = logging.StreamHandler(sys.stderr)
    handler.setFormatter(
        structlog.stdlib.ProcessorFormatter(
            processors=[
                structlog.stdlib.ProcessorFormatter.remove_processors_meta,
                structlog.processors.JSONRenderer(ensure_ascii=False, default=str),
            ],
            foreign_pre_chain=[structlog.stdlib.add_logger_name, *shared],
        )
    )
    root = logging.getLogger()
    root.handlers[:] = [handler]
    root.setLevel(logging.WARNING)
