"""How figures are written on pages: shares, sizes, times, counts."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import UTC, datetime

from jinja2 import Undefined

from jugum.core.formats.results import ResultValue
from jugum.core.states import Origin
from jugum.core.values.date_styles import DateStyle, written


def percent(share: float | None, digits: int = 0) -> str:
    """0.975 → "98 %"; None → "–". 99.96 % is never shown as 100 %."""
    if share is None:
        return "–"
    shown = f"{share * 100:.{digits}f}"
    if share < 1 and float(shown) == 100:
        shown = f"{100 - 10**-digits / 2:.{digits + 1}f}"
    return f"{shown} %"


def size(count: int) -> str:
    return f"{count / 1e6:.1f} MB" if count >= 1e6 else f"{max(1, round(count / 1e3))} kB"


BROWSERS = (("Edg", "Edge"), ("Firefox", "Firefox"), ("Chrome", "Chrome"), ("Safari", "Safari"))  # the first that fits
SYSTEMS = (("Android", "Android"), ("iPhone", "iPhone"), ("iPad", "iPad"), ("Windows", "Windows"), ("Mac OS", "macOS"))


def browser(agent: str) -> str:
    """What a program says of itself in a request, short: "Firefox on Windows"; its own first word where it is no
    browser."""
    name = next((shown for said, shown in BROWSERS if said in agent), "")
    system = next((shown for said, shown in (*SYSTEMS, ("Linux", "Linux")) if said in agent), "")
    if not name:
        return agent.split(" ")[0][:40] or "an unknown program"
    return f"{name} on {system}" if system else name


def when(moment: datetime | None, style: DateStyle = DateStyle.WORDS) -> str:
    """Time for today, else the date in a workspace's style."""
    if moment is None:
        return "–"
    local = moment.astimezone()
    today = datetime.now(UTC).astimezone().date()
    return f"{local:%H:%M}" if local.date() == today else written(local.date(), style, today.year)


def article(noun: str) -> str:
    """ "a" or "an", by the noun's first letter: an inspection report, a pay stub."""
    return "an" if noun[:1].lower() in "aeiou" else "a"


def many(count: int, singular: str, plural: str | None = None) -> str:
    """1, "paper" → "1 paper"; 3 → "3 papers"."""
    return f"{count} {singular if count == 1 else plural or singular + 's'}"


def joined(parts: Iterable[object], separator: str = ", ") -> str:
    """The parts there are: a part that a template left out (`"…" if condition`) or that is empty is passed over."""
    return separator.join(str(part) for part in parts if not isinstance(part, Undefined) and part)


def origin(value: ResultValue) -> str:
    """Where a delivered value comes from: a person, or a version with its confidence and the policy it passed."""
    if value.origin == Origin.PERSON:
        return f"settled by {value.person}"
    if value.confidence is None:
        return f"version {value.version}, confidence not measured, policy {value.policy}"
    return f"version {value.version}, confidence {percent(value.confidence, 1)}, policy {value.policy}"
