"""Names that mean the same: an office's own groups beside the shipped ones, and what labelled papers say that fields
are called."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

from jugum.core.extraction.candidates.around import plain_text
from jugum.core.extraction.candidates.synonyms import groups_from, meant_names, shipped_groups
from jugum.errors import InputError
from jugum.flow.in_force import LoadedVersions, newest_version
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import PLAN, Actor, record
from jugum.flow.office.types import type_row
from jugum.flow.plan.fields import plan_in
from jugum.store import Store
from jugum.store.models import Workspace

LINES_MAX = 500
LINE_MAX = 400
PAPERS_LEAST = 2
WORDS_MAX = 5  # of a name that is worth telling


@dataclass(frozen=True)
class NameSeen:
    """A name that labelled papers print beside a field's values though neither plan nor groups know it: on how many
    papers."""

    field: str
    name: str
    printed: str
    papers: int


@dataclass(frozen=True)
class SynonymsView:
    """The office's groups, one a line with `=` between names; names seen on papers and not known; how many groups
    ship with the program."""

    lines: list[str]
    seen: list[NameSeen]
    shipped: int


def synonyms_view(store: Store, versions: LoadedVersions, type_id: int) -> SynonymsView:
    with store.session() as session:
        row = type_row(session, type_id)
        plan = plan_in(row)
        lines = [str(line) for line in session.get_one(Workspace, row.workspace_id).synonyms]
        version = newest_version(session, type_id)
        file_key = version.file_key if version else None
    known = {
        key: {name for name, _ in its}
        for key, its in meant_names(plan, (*shipped_groups(), *groups_from(lines))).items()
    }
    names = {field.key: field.name for field in plan.fields}
    papers: dict[tuple[str, str], set[int]] = defaultdict(set)
    if file_key is not None:
        trained_model, _ = versions.loaded(store, file_key)
        for example in trained_model.extractor.examples.every if trained_model.extractor else ():
            label = _bare(example.label)
            if label and example.field in names and label not in known[example.field]:
                papers[example.field, label].add(example.paper)
    owners = Counter(label for _, label in papers)  # what stands by two fields ("Pay slip") is the name of neither
    seen = [
        NameSeen(key, names[key], label, len(its))
        for (key, label), its in papers.items()
        if owners[label] == 1 and len(its) >= PAPERS_LEAST
    ]
    return SynonymsView(
        lines, sorted(seen, key=lambda one: (-one.papers, one.name, one.printed)), len(shipped_groups())
    )


def _bare(label: str) -> str:
    """A printed name without the number of its line; "" for what has other figures in it, which is an address or a
    value rather than a name."""
    words = label.split()
    while words and words[0] == "0":
        words = words[1:]
    return "" if any(map(str.isdigit, "".join(words))) or len(words) > WORDS_MAX else " ".join(words)


def set_synonyms(store: Store, actor: Actor, type_id: int, lines: Sequence[str]) -> int:
    """Keep the office's groups; returns how many there are. They count from the next training on. InputError names a
    line that is no group."""
    actor.require(PLAN)
    kept = [" ".join(line.split()) for line in lines if line.strip()]
    if len(kept) > LINES_MAX:
        raise InputError(f"{len(kept)} groups are too many; at most {LINES_MAX} are allowed.")
    for number, line in enumerate(kept, 1):
        if len(line) > LINE_MAX:
            raise InputError(f"Line {number} has {len(line)} letters; at most {LINE_MAX} are taken.")
        if len({plain_text(part) for part in line.split("=")} - {""}) < 2:
            raise InputError(f"Line {number}, “{line[:60]}”, has one name only. Write synonyms with = between them.")
    with store.session() as session:
        row = type_row(session, type_id)
        workspace = session.get_one(Workspace, row.workspace_id, with_for_update=True)
        before = len(workspace.synonyms)
        workspace.synonyms = kept
        record(session, actor, Action.SET_SYNONYMS, "workspace", workspace.id, before=before, after=len(kept))
    return len(kept)
