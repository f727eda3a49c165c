"""The table of states as a page: `docs/states.md` is this text, and a test says so."""

from __future__ import annotations

from collections.abc import Iterable
from enum import StrEnum

from jugum.core.states import (
    BATCH_TRANSITIONS,
    DOCUMENT_TRANSITIONS,
    FIRST,
    FOUND_IN,
    VERSION_TRANSITIONS,
    BatchState,
    By,
    DocumentState,
    Purpose,
    Transition,
    VersionState,
    states_of,
)

HEAD = """# States

Drawn from `src/jugum/core/states.py` by `jugum states`; a test compares the two. Every change of a state goes through
`flow/states.py`, which allows what stands here and nothing else, and the database's constraints are made from the same
table.
"""


def states_page() -> str:
    """Markdown with a diagram and a table for samples, live documents, versions and batches."""
    parts = [HEAD]
    for purpose, title in ((Purpose.SAMPLE, "Samples"), (Purpose.LIVE, "Live documents")):
        its = [transition for transition in DOCUMENT_TRANSITIONS if _is_of(transition, purpose)]
        parts.append(_section(title, its, DocumentState))
        parts.append(f"A {purpose} document is {', '.join(states_of(purpose))}.\n")
    found = "\n".join(f"| {state} | {place} |" for state, place in FOUND_IN.items())
    parts.append(f"## Where a person finds a document\n\n| state | where |\n|---|---|\n{found}\n")
    parts.append(_section("Versions", VERSION_TRANSITIONS, VersionState))
    parts.append("The published version is the one that screens call live.\n")
    parts.append(_section("Batches", BATCH_TRANSITIONS, BatchState))
    return "\n".join(parts)


def _is_of(one: Transition, purpose: Purpose) -> bool:
    """Whether documents of a purpose make a change; those that become of this purpose by it count."""
    return purpose in one.purposes and (one.before in states_of(purpose) or one.purposes == {purpose})


def _section(title: str, table: Iterable[Transition], kind: type[StrEnum]) -> str:
    rows = list(dict.fromkeys(table))
    arrows = [f"    [*] --> {_id(state)}" for state in FIRST[kind]]
    pairs: dict[tuple[StrEnum, StrEnum], list[By]] = {}
    for row in rows:
        its = pairs.setdefault((row.before, row.after), [])
        if row.by not in its:
            its.append(row.by)
    arrows += [f"    {_id(a)} --> {_id(b)}: {' or '.join(by)}" for (a, b), by in pairs.items()]
    names = [f'    state "{state}" as {_id(state)}' for state in dict.fromkeys(s for pair in pairs for s in pair)]
    lines = [f"| {entry.before} | {entry.after} | {entry.by} | {entry.needs or '–'} |" for entry in rows]
    return "\n".join(
        [
            f"## {title}\n",
            "```mermaid",
            "stateDiagram-v2",
            *names,
            *arrows,
            "```\n",
            "| from | to | by | needs |",
            "|---|---|---|---|",
            *lines,
            "",
        ]
    )


def _id(state: StrEnum) -> str:
    return state.value.replace(" ", "_")
