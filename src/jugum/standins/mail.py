"""A mail server that takes papers: mail to <address>@anywhere goes to the mail source of that address. Loopback
only."""

from __future__ import annotations

import asyncio
import contextlib

import structlog
from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP, Envelope, Session

from jugum.errors import InputError, JugumError
from jugum.flow.gather import sources
from jugum.settings import Settings
from jugum.store import Store

log = structlog.get_logger()


class Letterbox:
    """Answers the server's questions; a mail is acknowledged only when it is safe."""

    def __init__(self, store: Store) -> None:
        self._store = store

    async def handle_DATA(self, server: SMTP, session: Session, envelope: Envelope) -> str:  # noqa: N802 - aiosmtpd's name
        data = envelope.original_content or b""
        known = False
        for address in envelope.rcpt_tos:
            try:
                known = await asyncio.to_thread(sources.mail_in, self._store, address, data) or known
            except InputError as error:
                return f"552 {str(error).encode('ascii', 'replace').decode()}"
            except JugumError as error:
                log.error("a mail could not be kept", error=str(error))
                return "451 not kept, try again later"
        return "250 kept" if known else "550 no such address here"


def letterbox(store: Store, port: int) -> Controller:
    """The server, not started yet."""
    return Controller(Letterbox(store), hostname="127.0.0.1", port=port, data_size_limit=store.settings.bytes_max)


def run_mail(settings: Settings) -> None:
    """Until stopped by a signal."""
    import signal
    import threading

    store = Store(settings)
    server = letterbox(store, settings.mail_port)
    server.start()
    ended = threading.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: ended.set())
    ended.wait()
    with contextlib.suppress(AssertionError):
        server.stop()
    store.close()
