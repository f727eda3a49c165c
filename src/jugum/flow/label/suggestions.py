"""Suggestions on the labelling desk: from a trained version, from labelled papers of the same look, and from the plan alone."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

from sqlalchemy import select
from sqlalchemy.orm import Session

from jugum.core.extraction.candidates.samples import Sample
from jugum.core.extraction.found import Found
from jugum.core.extraction.values.assignment import Choice, Decision
from jugum.core.extraction.values.same_layout import remembered
from jugum.core.page import Page
from jugum.core.schema import FieldKind, Plan
from jugum.core.structure import Structure
from jugum.errors import ExternalError, InputError
from jugum.flow.gather.explore import Explorer
from jugum.flow.gather.read import pages_of
from jugum.flow.in_force import LoadedVersions, current_policy, newest_version
from jugum.flow.label import suggestion_service
from jugum.flow.label.desk_parts import ValueView
from jugum.flow.label.samples import label_samples
from jugum.flow.plan.fields import plan_in
from jugum.flow.plan.sample import findings, seen_paper
from jugum.store import Store
from jugum.store.models import Document, Workspace

PAGES_MAX = 40  # of longer papers only the first pages are looked at for suggestions
LOOK_ALIKES = 3  # labelled papers of the same look that are remembered
UNSURE = 0.5  # below this confidence of a version, look-alikes labelled meanwhile are asked


@dataclass(frozen=True)
class Suggested:
    """What is found for a field: its values (None for a table's empty cells), the candidates next in line, and the threshold
    they stand against. `passes` tells that a measured confidence reaches that threshold; `sure` is that confidence, "not on it" included."""

    values: list[ValueView | None] = field(default_factory=list)
    others: list[ValueView] = field(default_factory=list)
    threshold: float | None = None
    passes: bool = False
    sure: float = 0.0


def suggestions(
    store: Store, session: Session, document: Document, versions: LoadedVersions, explorer: Explorer | None
) -> dict[str, Suggested]:
    """What the live version, or else the newest on trial, finds on the paper; where it is unsure, what labelled papers of the same
    look say; and what the plan alone finds for the rest."""
    pages = pages_of(session, document.id)[:PAGES_MAX]
    explorer = explorer or Explorer()
    suggested = _by_version(store, session, document, versions, pages, explorer)
    plan = plan_in(document.placed_type)
    doubtful = [one for one in plan.learned.fields if suggested.get(one.key, Suggested()).sure < UNSURE]
    for key, one in _by_look(session, document, Plan(tuple(doubtful)), pages).items():
        if one.values:
            suggested[key] = one
    found = _by_plan(store, session, document, explorer, set(suggested)) | suggested
    return found | _by_service(store, session, document, plan, found, pages)


def _by_version(
    store: Store,
    session: Session,
    document: Document,
    versions: LoadedVersions,
    pages: Sequence[Page],
    explorer: Explorer,
) -> dict[str, Suggested]:
    version = newest_version(session, document.type_id)
    policy = current_policy(session, document.placed_type.id)
    thresholds = policy.thresholds if policy else {}
    if version is None or version.file_key is None:
        return {}

    def layers() -> list[Structure | None]:
        return seen_paper(store, session, explorer, document, picture=True, pages_max=PAGES_MAX).layers

    found: dict[str, Suggested] = {}
    for decision, sure in versions.decide(store, version.file_key, pages, layers):
        if sure is None:
            continue
        threshold = thresholds.get(decision.field)
        familiar = policy is not None and decision.familiarity >= policy.familiarity_least
        passes = not decision.absent and threshold is not None and sure >= threshold and familiar
        if isinstance(decision, Decision):
            values: dict[str, list[ValueView | None]] = {
                decision.field: [_choice(choice, "model", round(sure, 4)) for choice in decision.chosen]
            }
            others = [_choice(choice, "model") for choice in decision.others]
        else:
            values = {key: [_part(one, round(sure, 4)) for one in column] for key, column in decision.values.items()}
            others = [view_of(one) for one in decision.others]
        for key, its in values.items():
            found[key] = Suggested(its, others, threshold, passes, sure)
    return found


def _part(one: Found | None, sure: float) -> ValueView | None:
    return replace(view_of(one), confidence=sure) if one else None


def _choice(choice: Choice, origin: str, sure: float | None = None) -> ValueView:
    found = choice.candidate
    return ValueView(found.text, found.normal, found.page, [round(v, 5) for v in found.box], sure, origin)


def _by_look(session: Session, document: Document, plan: Plan, pages: Sequence[Page]) -> dict[str, Suggested]:
    """What up to three labelled papers of the same look say; they have no measured confidence."""
    if document.look_id is None or not plan.fields:
        return {}
    labelled = session.scalars(
        select(Document)
        .where(
            Document.look_id == document.look_id, Document.state == "labelled", Document.purpose == "sample",
            Document.id != document.id, Document.set_name == "train",
        )
        .order_by(Document.id.desc())
        .limit(LOOK_ALIKES)
    ).all()  # fmt: skip
    if not labelled:
        return {}
    samples: list[Sample] = label_samples(session, labelled)
    decided: list[Decision] = remembered(plan, samples, pages)
    return {
        one.field: Suggested(
            [_choice(choice, "look-alikes") for choice in one.chosen], [_choice(choice, "look-alikes") for choice in one.others]
        )
        for one in decided
    }  # fmt: skip


def _by_plan(
    store: Store, session: Session, document: Document, explorer: Explorer, known: set[str]
) -> dict[str, Suggested]:
    plan = plan_in(document.placed_type)
    wanted = [one for one in plan.fields if one.key not in known and one.kind is not FieldKind.DERIVED]
    rest = Plan(tuple(one if one.is_column or one.inside not in known else replace(one, inside="") for one in wanted))
    if not rest.fields:
        return {}
    try:
        found = findings(store, session, explorer, document, rest, pages_max=PAGES_MAX)
    except (InputError, ExternalError):  # suggestions are a help: a desk opens without them
        return {}
    return {
        key: Suggested(
            [view_of(one) if one else None for one in finding.values], [view_of(one) for one in finding.others]
        )
        for key, finding in found.items()
    }


def _by_service(
    store: Store, session: Session, document: Document, plan: Plan, found: dict[str, Suggested], pages: Sequence[Page]
) -> dict[str, Suggested]:
    """What the suggestion service answers, if it is on, for fields with a question that nothing else has a value for."""
    rest = Plan(
        tuple(one for one in plan.learned.fields if one.question and not found.get(one.key, Suggested()).values)
    )
    if not rest.fields:
        return {}
    workspace = session.get_one(Workspace, document.workspace_id)
    return {key: Suggested([value]) for key, value in suggestion_service.answers(store, workspace, rest, pages).items()}


def view_of(one: Found) -> ValueView:
    """What an engine of the plan found, for the desk."""
    more = [(page, [round(v, 5) for v in box]) for page, box in one.more]
    return ValueView(
        one.text, one.normal, one.page, [round(v, 5) for v in one.box], None, one.engine.value, more=more, why=one.why
    )
