"""What becomes of the promise in force when another version is made live: the same papers, both versions."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

from sqlalchemy.orm import Session, undefer

from jugum.core.thresholds import Evidence, EvidenceTable, Outcome, outcome
from jugum.core.thresholds.frontier import passes_by
from jugum.core.thresholds.promise import Promise, promise_of
from jugum.flow.in_force import current_policy, live_version, thresholds_of, version_row
from jugum.flow.weigh.dial import DialSettings
from jugum.flow.weigh.evidence import held_out, tested
from jugum.store import Store
from jugum.store.models import ModelVersion

Place = tuple[str, str]  # field and sample


@dataclass(frozen=True)
class PromiseUnder:
    """The policy in force on the held-out values that both the live version and another one were tested on, of known
    layouts: what follows now and what would, and what each says of the promise."""

    policy: int
    live: int
    version: int
    papers: int
    values: int
    now: Outcome
    then: Outcome
    promise_now: Promise
    promise_then: Promise


def promise_under(store: Store, version_id: int) -> PromiseUnder | None:
    """What a version would do to the promise. None without a policy, without another live version, and where they have
    no values in common."""
    with store.session() as session:
        version = version_row(session, version_id)
        policy, live = current_policy(session, version.type_id), live_version(session, version.type_id)
        if policy is None or live is None or live.id == version.id:
            return None
        thresholds = thresholds_of(policy)
        keys = sorted(thresholds.by_field)
        rows = {number: _rows(session, number) for number in (live.id, version.id)}
        both = rows[live.id].keys() & rows[version.id].keys()
        both = {place for place in both if place[0] in keys}
        if not both:
            return None
        tables = [
            _table(rows[number], both, keys, thresholds.layout_similarity_min) for number in (live.id, version.id)
        ]
        rules = replace(DialSettings.of(policy).rules, opening=thresholds.opening.price if thresholds.opening else None)
        now, then = (outcome(table, passes_by(table, thresholds.by_field, rules)) for table in tables)
        error_most, papers = DialSettings.of(policy).error_most, tables[0].papers
        return PromiseUnder(
            policy.number,
            live.number,
            version.number,
            papers,
            len(both),
            now,
            then,
            promise_of(now, error_most, papers),
            promise_of(then, error_most, papers),
        )


def _rows(session: Session, version_id: int) -> dict[Place, Evidence]:
    """Values of a version on papers of known layouts that were held out or kept for testing."""
    options = [undefer(ModelVersion.evidence), undefer(ModelVersion.test_evidence)]
    version = session.get_one(ModelVersion, version_id, options=options)
    return {(row.field, row.paper): row for row in [*held_out(version), *tested(version)]}


def _table(rows: dict[Place, Evidence], both: Collection[Place], keys: Sequence[str], gate: float) -> EvidenceTable:
    return EvidenceTable.of([rows[place] for place in sorted(both)], keys).gated(gate)


__all__ = ["PromiseUnder", "promise_under"]
