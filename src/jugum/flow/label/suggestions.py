"""Suggestions on the labelling desk: from a trained version, from labelled papers of the same layout, and from the
plan alone.

They cost about half a second a page (most of it for the layers of its picture), so a long paper is looked at in windows
of some pages, what is in view first. A window is worked out by itself; what speaks more for a value wins.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

from scipy.special import expit
from sqlalchemy import select
from sqlalchemy.orm import Session

from jugum.core.extraction.candidates.samples import Sample
from jugum.core.extraction.clauses.same_layout import suggest_clauses
from jugum.core.extraction.found import Found
from jugum.core.extraction.tables.learned_heads import with_learned_heads
from jugum.core.extraction.values.assignment import Choice, Decision
from jugum.core.extraction.values.same_layout import suggest_from_same_layout
from jugum.core.page import Page
from jugum.core.schema import FieldKind, Plan
from jugum.core.states import DocumentState, Purpose, SetName
from jugum.core.structure import Structure
from jugum.errors import ExternalError, InputError
from jugum.flow.gather.explore import WHOLE, Explorer, LoadedPaper, load_paper
from jugum.flow.in_force import LoadedVersions, current_policy, newest_version, thresholds_of
from jugum.flow.label import suggestion_service
from jugum.flow.label.desk_parts import ValueView
from jugum.flow.label.samples import label_samples
from jugum.flow.plan.fields import plan_of
from jugum.flow.plan.sample import findings
from jugum.store import Store
from jugum.store.models import Document, Policy, Workspace

AT_ONCE = 2  # pages up to which a desk opens with its suggestions; of longer papers they come once it is open
BEYOND = 1  # pages behind a window that a section or a table begun in it may go on to
SAME_LAYOUT_MAX = 3  # labelled papers of the same layout that are remembered
UNSURE = 0.5  # below this confidence of a version, papers of the same layout labelled meanwhile are asked


@dataclass(frozen=True)
class Suggested:
    """What is found for a field: its values (None for a table's empty cells), the candidates next in line, and the
    threshold they stand against. `passes` tells that a measured confidence reaches that threshold; `sure` is that
    confidence, "not on it" included. `weight` is what speaks for it against another window's: a sure version's
    before that of papers of the same layout, and this before the plan's."""

    values: list[ValueView | None] = field(default_factory=list)
    others: list[ValueView] = field(default_factory=list)
    threshold: float | None = None
    passes: bool = False
    sure: float = 0.0
    weight: float = 0.0


@dataclass(frozen=True)
class SuggestionInput:
    """What suggestions for a paper are worked out from: the paper (the pages of a window), the window's last page,
    the plan, the file of the version that is asked and the policy in force, and the workspace, whose suggestion
    service may be on."""

    paper: LoadedPaper
    last: int
    plan: Plan
    file_key: str | None
    policy: Policy | None
    workspace: Workspace


def load_suggestion_input(session: Session, document: Document, first: int = 1, last: int = WHOLE) -> SuggestionInput:
    """`first` and `last` bound the window. InputError for one that is too wide to be worked out while somebody
    waits."""
    if not 1 <= first <= last < first + WHOLE:
        raise InputError(f"Suggestions come for 1 to {WHOLE} pages at a time; {first} to {last} can't be looked at.")
    version = newest_version(session, document.type_id)
    return SuggestionInput(
        load_paper(session, document, range(first, last + 1 + BEYOND)),
        last,
        plan_of(document),
        version.file_key if version else None,
        current_policy(session, document.placed_type.id),
        session.get_one(Workspace, document.workspace_id),
    )


def suggestions(
    store: Store, given: SuggestionInput, versions: LoadedVersions, explorer: Explorer | None
) -> dict[str, Suggested]:
    """What the live version, or else the newest on trial, finds on the paper; where it is unsure, what labelled
    papers of the same layout say; and what the plan alone finds for the rest. Worked out with no transaction open.
    """
    explorer = explorer or Explorer()
    pages = given.paper.pages
    suggested = _by_version(store, given, versions, explorer)
    unsure = {planned.key for planned in given.plan.fields if suggested.get(planned.key, Suggested()).sure < UNSURE}
    clauses = [planned for planned in given.plan.fields if planned.kind is FieldKind.CLAUSE]
    doubtful = [planned for planned in (*given.plan.learned.fields, *clauses) if planned.key in unsure]
    alike = _labelled_alike(store, given.paper.document)
    for key, one in _by_layout(alike, Plan(tuple(doubtful)), pages).items():
        if one.values:
            suggested[key] = one
    found = _by_plan(store, given, explorer, set(suggested), alike) | suggested
    found |= _by_service(store, given, found, pages)
    return {key: one for key, one in found.items() if "." in key or _begins_within(one, given.last)}


def _begins_within(one: Suggested, last: int) -> bool:
    """Whether a value begins in the window: behind it, it is the next window's."""
    places = [value.page for value in one.values if value and value.page is not None]
    return not places or places[0] <= last


def _by_version(
    store: Store, given: SuggestionInput, versions: LoadedVersions, explorer: Explorer
) -> dict[str, Suggested]:
    if given.file_key is None:
        return {}
    thresholds = thresholds_of(given.policy) if given.policy else None

    def layers() -> list[Structure]:
        return given.paper.layers(store, explorer)

    found: dict[str, Suggested] = {}
    for decision, sure in versions.decide(store, given.file_key, given.paper.pages, layers):
        if sure is None:
            continue
        gate = thresholds.gate(decision.field) if thresholds else None
        passes = not decision.absent and gate is not None and gate.passes(sure, decision.layout_similarity)
        if isinstance(decision, Decision):
            values: dict[str, list[ValueView | None]] = {
                decision.field: [_choice(choice, "model", round(sure, 4)) for choice in decision.chosen]
            }
            others = [_choice(choice, "model") for choice in decision.others]
        else:
            values = {key: [_part(cell, round(sure, 4)) for cell in column] for key, column in decision.values.items()}
            others = [view_of(other) for other in decision.others]
        weight = 2 + sure if sure >= UNSURE else sure
        for key, its in values.items():
            found[key] = Suggested(its, others, gate.threshold if gate else None, passes, sure, weight)
    return found


def _part(one: Found | None, sure: float) -> ValueView | None:
    return replace(view_of(one), confidence=sure) if one else None


def _choice(choice: Choice, origin: str, sure: float | None = None) -> ValueView:
    found = choice.candidate
    return ValueView(found.text, found.normal, found.page, [round(v, 5) for v in found.box], sure, origin)


def _labelled_alike(store: Store, document: Document) -> list[Sample]:
    """Up to three labelled papers of a paper's layout, the latest first."""
    if document.layout_group_id is None:
        return []
    with store.session() as session:
        labelled = session.scalars(
            select(Document)
            .where(
                Document.layout_group_id == document.layout_group_id,
                Document.state == DocumentState.LABELLED,
                Document.purpose == Purpose.SAMPLE,
                Document.id != document.id,
                Document.set_name == SetName.TRAIN,
            )
            .order_by(Document.id.desc())
            .limit(SAME_LAYOUT_MAX)
        ).all()
        return label_samples(session, labelled)


def _by_layout(samples: Sequence[Sample], plan: Plan, pages: Sequence[Page]) -> dict[str, Suggested]:
    """What labelled papers of the same layout say; they have no measured confidence."""
    if not samples or not plan.fields:
        return {}
    clauses = suggest_clauses(plan, samples, pages)
    decided: list[Decision] = suggest_from_same_layout(plan, samples, pages)
    return {
        key: Suggested([replace(view_of(one), origin="same layout")], [], weight=1 + one.score)
        for key, one in clauses.items()
    } | {
        decision.field: Suggested(
            [_choice(choice, "same layout") for choice in decision.chosen],
            [_choice(choice, "same layout") for choice in decision.others],
            weight=1 + max((float(expit(choice.logit)) for choice in decision.chosen), default=0.0),
        )
        for decision in decided
    }


def _by_plan(
    store: Store, given: SuggestionInput, explorer: Explorer, known: set[str], alike: Sequence[Sample]
) -> dict[str, Suggested]:
    """What the plan alone finds, tables under the heads, too, that they bear on labelled papers of the same layout."""
    wanted = [
        planned for planned in given.plan.fields if planned.key not in known and planned.kind is not FieldKind.DERIVED
    ]
    rest = Plan(
        tuple(
            planned if planned.is_column or planned.inside not in known else replace(planned, inside="")
            for planned in wanted
        )
    )
    if not rest.fields:
        return {}
    rest = with_learned_heads(rest, alike)
    try:
        found = findings(store, explorer, given.paper, rest)
    except (InputError, ExternalError):  # suggestions are a help: a desk opens without them
        return {}
    return {
        key: Suggested(
            [view_of(value) if value else None for value in finding.values],
            [view_of(other) for other in finding.others],
            weight=max((value.score for value in finding.values if value), default=0.0),
        )
        for key, finding in found.items()
    }


def _by_service(
    store: Store, given: SuggestionInput, found: dict[str, Suggested], pages: Sequence[Page]
) -> dict[str, Suggested]:
    """What the suggestion service answers, if it is on, for fields with a question that nothing else has a value
    for."""
    rest = Plan(
        tuple(
            planned
            for planned in given.plan.learned.fields
            if planned.question and not found.get(planned.key, Suggested()).values
        )
    )
    if not rest.fields:
        return {}
    answers = suggestion_service.answers(store, given.workspace, rest, pages)
    return {key: Suggested([value]) for key, value in answers.items()}


def view_of(one: Found) -> ValueView:
    """What an engine of the plan found, for the desk."""
    more_places = [(page, [round(v, 5) for v in box]) for page, box in one.more_places]
    return ValueView(
        one.text,
        one.normal,
        one.page,
        [round(v, 5) for v in one.box],
        None,
        one.engine.value,
        more_places=more_places,
        why=one.why,
    )
