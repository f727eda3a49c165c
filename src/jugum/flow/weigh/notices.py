"""Telling people by mail that a promise was broken."""

from __future__ import annotations

import smtplib
from datetime import UTC, datetime
from email.message import EmailMessage
from email.utils import format_datetime

from jugum.errors import ExternalError
from jugum.flow.office.types import type_row
from jugum.flow.weigh.breaches import breaches
from jugum.flow.weigh.check_settings import CheckSettings
from jugum.settings import Settings
from jugum.store import Store
from jugum.store.models import Breach

SECONDS = 20.0  # that a mail server has to answer
SMTP_PORT = 25


def send_notice(store: Store, breach_id: int) -> None:
    """Tell the people of a type of a breach, once. ExternalError while the mail server does not take it."""
    with store.session() as session:
        row = session.get(Breach, breach_id)
        if row is None or row.told:
            return
        kind = type_row(session, row.type_id)
        to = CheckSettings.of(kind).tell
        view = next(view for view in breaches(session, row.type_id) if view.id == breach_id)
        if not to:
            return
        message = EmailMessage()
        message["From"], message["To"] = store.settings.mail_from, ", ".join(to)
        message["Subject"] = f"{kind.name}: the promise of policy {view.policy} is broken"
        message["Date"] = format_datetime(datetime.now(UTC))
        message["Message-ID"] = f"<breach-{breach_id}@jugum>"
        then = (
            "The policy is suspended: everything is held for a person until it is resumed or another is published."
            if view.suspends
            else "The policy stays in force."
        )
        message.set_content(
            f"Policy {view.policy} of “{kind.name}” promises at most {100 * view.error_most:g} % wrong among what "
            f"passes. Of {view.values} values on {view.papers} papers that were checked {view.wrong} were wrong: a "
            f"promise that is kept looks so in less than 1 of 20 cases.\n\n{then}\n\n"
            "What was found is on the page Weigh, Spot checks.\n"
        )
    _send(store.settings, message, f"breach-{breach_id}.eml")
    with store.session() as session:
        session.get_one(Breach, breach_id).told = ", ".join(to)


def _send(settings: Settings, message: EmailMessage, name: str) -> None:
    """By the mail server; without one into a folder."""
    if not settings.smtp:
        outbox = settings.home / "outbox"
        outbox.mkdir(parents=True, exist_ok=True)
        (outbox / name).write_bytes(bytes(message))
        return
    host, _, port = settings.smtp.partition(":")
    try:
        with smtplib.SMTP(host, int(port or SMTP_PORT), timeout=SECONDS) as server:
            server.send_message(message)
    except (OSError, smtplib.SMTPException) as error:
        raise ExternalError(f"The mail server {settings.smtp} did not take a notice: {error}.") from error


__all__ = ["send_notice"]
