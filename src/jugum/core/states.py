"""Every state of a document, a version, a batch and a delivery, and every change between them that is allowed.

This is the one table: whatever changes a state asks it (`flow.states`), the database's constraints are made from it
(`store.models`), and `docs/states.md` is drawn from it. No value is in two of the enums of states, so that a search
for one finds one thing.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum


class Purpose(StrEnum):
    """What a document is here for: to teach and to test, or to be worked on."""

    SAMPLE = "sample"
    LIVE = "live"


class DocumentState(StrEnum):
    """Where a document stands; which changes are allowed is in TRANSITIONS."""

    RECEIVED = "received"  # its bytes are safe; it is being opened and read
    UNPACKED = "unpacked"  # a mail, archive or bundle: its papers stand for it
    TO_CUT = "to cut"  # a bundle with splits that a person must look at
    UNPLACED = "unplaced"  # read, and of no type that is known
    TO_LABEL = "to label"
    IN_PROGRESS = "in progress"  # a sample with some labels
    LABELLED = "labelled"
    PLACED = "placed"  # a live paper of a type, waiting for a version to draft it
    DRAFTED = "drafted"  # drafted before, and to be drafted again
    HELD = "held"
    PASSED = "passed"
    SETTLED = "settled"
    DELIVERED = "delivered"
    CORRECTED = "corrected"  # delivered before a wrong value was found on it; waits to be sent again
    SET_ASIDE = "set aside"


class VersionState(StrEnum):
    """States of a model version. The published one is the live version on screens."""

    QUEUED = "queued"
    TRAINING = "training"
    ON_TRIAL = "on trial"
    PUBLISHED = "published"
    RETIRED = "retired"
    FAILED = "failed"


class BatchState(StrEnum):
    """Whether the papers of a batch are read."""

    RUNNING = "running"
    PAUSED = "paused"


class DeliveryState(StrEnum):
    """What became of a delivery."""

    SENT = "sent"


class RecordState(StrEnum):
    """What became of a value from past records on its paper."""

    FOUND = "found"
    AMBIGUOUS = "ambiguous"
    NOT_FOUND = "not found"
    CHOSEN = "chosen"


class By(StrEnum):
    """Who changes a state."""

    PROGRAM = "program"
    PERSON = "person"


@dataclass(frozen=True)
class Transition:
    """A change of state that is allowed: from one to another, by whom, for documents of which purpose (as they are
    after it), and what it needs."""

    before: StrEnum
    after: StrEnum
    by: By
    purposes: frozenset[Purpose] = frozenset(Purpose)
    needs: str = ""


def _each(
    before: Iterable[StrEnum], after: StrEnum, by: By, purposes: Iterable[Purpose] = Purpose, needs: str = ""
) -> list[Transition]:
    return [Transition(state, after, by, frozenset(purposes), needs) for state in before]


_D, _V = DocumentState, VersionState
_SAMPLE, _LIVE = (Purpose.SAMPLE,), (Purpose.LIVE,)
WAITING_LIVE = (_D.PLACED, _D.DRAFTED, _D.HELD, _D.PASSED)
DRAFTABLE = (_D.PLACED, _D.DRAFTED, _D.HELD)
OPEN_SAMPLE_STATES = (_D.TO_LABEL, _D.IN_PROGRESS)
LABEL_STATES = (*OPEN_SAMPLE_STATES, _D.LABELLED)
SETTLED_STATES = (_D.SETTLED, _D.DELIVERED, _D.CORRECTED)
DONE_STATES = (_D.PASSED, *SETTLED_STATES)
DELIVERABLE = (_D.PASSED, _D.SETTLED, _D.CORRECTED)
REVIEW_STATES = (_D.HELD, _D.SETTLED, _D.PASSED)  # in which fields may be settled
CHECKED_STATES = (*REVIEW_STATES, _D.DELIVERED, _D.CORRECTED)  # in which spot checks are answered
# What is on its pages can't be read or put otherwise any more, or not yet.
PAGES_FIXED = (_D.RECEIVED, _D.UNPACKED, _D.SET_ASIDE, *SETTLED_STATES)
IN_TRAINING = (_V.QUEUED, _V.TRAINING)

DOCUMENT_TRANSITIONS: tuple[Transition, ...] = (
    # Receiving and reading
    *_each([_D.RECEIVED], _D.UNPACKED, By.PROGRAM, needs="a mail, archive or bundle whose papers were taken out"),
    *_each([_D.RECEIVED], _D.TO_CUT, By.PROGRAM, needs="a bundle, read, with a split that is not confident"),
    *_each([_D.RECEIVED], _D.UNPLACED, By.PROGRAM, needs="read, and like no type"),
    *_each([_D.RECEIVED, _D.UNPLACED], _D.TO_LABEL, By.PROGRAM, _SAMPLE, "read, and of a type"),
    *_each([_D.RECEIVED, _D.UNPLACED], _D.PLACED, By.PROGRAM, _LIVE, "read, and of a type"),
    # Bundles
    *_each(
        [_D.TO_CUT, _D.UNPLACED, _D.TO_LABEL, *WAITING_LIVE],
        _D.UNPACKED,
        By.PERSON,
        needs="nothing labelled or settled; each page in one paper, or set aside",
    ),
    *_each([_D.UNPACKED], _D.TO_CUT, By.PERSON, needs="a bundle whose papers nobody has worked on"),
    # Placing by a person
    *_each([_D.UNPLACED], _D.TO_LABEL, By.PERSON, _SAMPLE, "a type"),
    *_each([_D.UNPLACED, *WAITING_LIVE], _D.PLACED, By.PERSON, _LIVE, "a type; nothing settled"),
    *_each([_D.TO_LABEL], _D.UNPLACED, By.PERSON, _SAMPLE, "of none of the types; nothing labelled"),
    *_each(WAITING_LIVE, _D.UNPLACED, By.PERSON, _LIVE, "of none of the types; nothing settled"),
    # Samples
    *_each([_D.TO_LABEL, _D.LABELLED], _D.IN_PROGRESS, By.PERSON, _SAMPLE, "a label given, changed or taken away"),
    *_each(OPEN_SAMPLE_STATES, _D.LABELLED, By.PERSON, _SAMPLE, "every required field has an answer"),
    *_each([*WAITING_LIVE, _D.SETTLED], _D.TO_LABEL, By.PERSON, _SAMPLE, "a live paper made a sample"),
    *_each([*WAITING_LIVE, _D.SETTLED], _D.IN_PROGRESS, By.PERSON, _SAMPLE, "a live paper with labels made a sample"),
    # Live papers
    *_each([_D.PLACED, _D.DRAFTED], _D.HELD, By.PROGRAM, _LIVE, "a published version; a field that does not pass"),
    *_each(DRAFTABLE, _D.PASSED, By.PROGRAM, _LIVE, "a published version; every field passes"),
    *_each(
        [_D.DRAFTED, _D.HELD, _D.PASSED], _D.PLACED, By.PROGRAM, _LIVE, "its pages were read again; nothing settled"
    ),
    *_each([_D.PASSED], _D.DRAFTED, By.PERSON, _LIVE, "to be read again with another version; nothing settled"),
    *_each([_D.HELD, _D.PASSED], _D.SETTLED, By.PERSON, _LIVE, "no open hold"),
    *_each(
        [_D.PASSED, _D.SETTLED],
        _D.HELD,
        By.PERSON,
        _LIVE,
        "a blocking check fails after a change, or an answer is undone",
    ),
    *_each(DELIVERABLE, _D.DELIVERED, By.PERSON, _LIVE, "in a delivery; or its correction was undone"),
    *_each([_D.PASSED], _D.HELD, By.PROGRAM, _LIVE, "its policy is suspended; nothing settled"),
    *_each([_D.DELIVERED], _D.CORRECTED, By.PERSON, _LIVE, "a spot check found a wrong value"),
    *_each([_D.DELIVERED, _D.CORRECTED], _D.HELD, By.PERSON, _LIVE, "a blocking check fails after such a correction"),
    # Set aside and returned
    *_each(
        [_D.RECEIVED, _D.TO_CUT, _D.UNPLACED, _D.TO_LABEL, *DRAFTABLE],
        _D.SET_ASIDE,
        By.PROGRAM,
        needs="a step failed; the reason is kept",
    ),
    *_each(
        [_D.RECEIVED, _D.TO_CUT, _D.UNPLACED, *LABEL_STATES, *WAITING_LIVE, _D.SETTLED],
        _D.SET_ASIDE,
        By.PERSON,
        needs="a reason",
    ),
    *_each([_D.SET_ASIDE], _D.RECEIVED, By.PERSON, needs="returned, or unlocked by its password"),
    *_each([_D.SET_ASIDE], _D.IN_PROGRESS, By.PERSON, _SAMPLE, "returned with its labels"),
    *_each([_D.SET_ASIDE], _D.HELD, By.PERSON, _LIVE, "returned with what a person settled; a field still waits"),
    *_each([_D.SET_ASIDE], _D.SETTLED, By.PERSON, _LIVE, "returned with what a person settled; no field waits"),
    *_each([_D.RECEIVED], _D.HELD, By.PROGRAM, _LIVE, "its pages were read again; a person had settled fields"),
    *_each([_D.RECEIVED], _D.SETTLED, By.PROGRAM, _LIVE, "its pages were read again; a person had settled it"),
)

VERSION_TRANSITIONS: tuple[Transition, ...] = (
    *_each([_V.QUEUED], _V.TRAINING, By.PROGRAM, needs="a free worker"),
    *_each([_V.TRAINING], _V.ON_TRIAL, By.PROGRAM, needs="held-out evidence"),
    *_each([_V.QUEUED, _V.TRAINING], _V.FAILED, By.PROGRAM, needs="the reason is kept"),
    *_each([_V.QUEUED, _V.TRAINING], _V.FAILED, By.PERSON, needs="cancelled"),
    *_each([_V.ON_TRIAL, _V.RETIRED], _V.PUBLISHED, By.PERSON, needs="it fits the plan; the version before is retired"),
    *_each([_V.PUBLISHED], _V.RETIRED, By.PERSON, needs="another is published"),
)

BATCH_TRANSITIONS: tuple[Transition, ...] = (
    *_each([BatchState.RUNNING], BatchState.PAUSED, By.PERSON),
    *_each([BatchState.PAUSED], BatchState.RUNNING, By.PERSON),
)

# Where a document, version, batch or delivery begins.
FIRST: dict[type[StrEnum], tuple[StrEnum, ...]] = {
    DocumentState: (DocumentState.RECEIVED,),
    VersionState: (VersionState.QUEUED, VersionState.ON_TRIAL),  # the latter when imported from a file
    BatchState: (BatchState.RUNNING,),
    DeliveryState: (DeliveryState.SENT,),
}
# Where a person finds a document of each state, besides the list of all papers in Gather: no state without a place.
FOUND_IN: dict[DocumentState, str] = {
    _D.RECEIVED: "Gather, with its progress",
    _D.UNPACKED: "Gather, without a type: its papers stand for it",
    _D.TO_CUT: "Gather, bundles to check",
    _D.UNPLACED: "Gather, papers without a clear type",
    _D.TO_LABEL: "Label",
    _D.IN_PROGRESS: "Label",
    _D.LABELLED: "Label",
    _D.PLACED: "Gather, waiting for a live version",
    _D.DRAFTED: "Gather, being read again",
    _D.HELD: "Review",
    _D.PASSED: "Deliver, not delivered yet",
    _D.SETTLED: "Deliver, not delivered yet",
    _D.DELIVERED: "Deliver",
    _D.CORRECTED: "Deliver, corrections not delivered yet",
    _D.SET_ASIDE: "Gather, set aside",
}
# States of documents that may be without a type.
WITHOUT_TYPE = (_D.RECEIVED, _D.TO_CUT, _D.UNPLACED, _D.SET_ASIDE, _D.UNPACKED)


def allowed(table: Iterable[Transition], before: StrEnum, after: StrEnum, by: By, purpose: Purpose | None) -> bool:
    """Whether a change is in a table. `purpose` is the document's after the change; None for what has none."""
    return any(
        (transition.before, transition.after, transition.by) == (before, after, by)
        and (purpose is None or purpose in transition.purposes)
        for transition in table
    )


def states_of(purpose: Purpose) -> tuple[DocumentState, ...]:
    """The states that documents of a purpose can come to, in the order of the enum."""
    found: set[StrEnum] = {DocumentState.RECEIVED}
    found |= {transition.after for transition in DOCUMENT_TRANSITIONS if purpose in transition.purposes}
    return tuple(state for state in DocumentState if state in found)


# ---- Other closed vocabularies ---------------------------------------------------------------------------------------


class Origin(StrEnum):
    """Where a result comes from: a version, the plan alone, or a person."""

    MODEL = "model"
    PLAN = "plan"
    PERSON = "person"


class Method(StrEnum):
    """How a label was given."""

    MARKED = "marked"
    TYPED = "typed"
    AGREED = "agreed"
    PAST_RECORD = "recorded"
    REVIEW = "review"
    SEEN = "seen"  # it had passed, and a person saw the whole paper


class PlacedBy(StrEnum):
    """Who gave a document its type; NONE_OF_THESE: a person said that it is of none."""

    PERSON = "person"
    PROGRAM = "program"
    NONE_OF_THESE = "other"


class SortingSubject(StrEnum):
    """What the program sorts by itself where it is sure enough: papers by type, bundles into papers."""

    TYPES = "types"
    BUNDLES = "bundles"


class SetName(StrEnum):
    """What a sample is for."""

    TRAIN = "train"
    TEST = "test"
    SPARE = "spare"
