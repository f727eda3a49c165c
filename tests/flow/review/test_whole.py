"""A paper that was seen as a whole: what passed on it teaches; figures count what was looked at as a whole."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from tests.flow.review.test_settle import live, settle
from tests.office import Office
from tests.papers import slips

from jugum.core.extraction.candidates.samples import LookedAt
from jugum.errors import Conflict
from jugum.flow.label import rows as label_rows
from jugum.flow.label.samples import training_samples
from jugum.flow.plan import fields as plan_fields
from jugum.flow.plan.fields import FieldInput
from jugum.flow.review import desk as review_desk
from jugum.flow.review import settle as settling
from jugum.flow.review import whole
from jugum.flow.train import training, versions
from jugum.flow.weigh import policies, weighing

Run = Callable[[], None]


def labels_of(office: Office, document: int) -> dict[str, tuple[str, str]]:
    """Field → how it was labelled, and its texts."""
    return {
        label.field: (label.method, "; ".join(value.text for value in label.values))
        for label in label_rows.labels(office.store, document)
    }


def half_held(office: Office, run_jobs: Run, number: int = 40) -> int:
    """A live paper whose amount is held while the rest passed."""
    thresholds = {"member": 0.0, "paid_on": 0.0, "amount": 1.0}
    policies.save_policy(office.store, office.analyst, office.type_id, thresholds, 0.0)
    document = office.bring(slips(1, start=number)[0], "live")
    run_jobs()
    return document


def test_what_passed_is_no_label_until_somebody_has_seen_the_whole_paper(trained: Office, run_jobs: Run) -> None:
    document, slip = half_held(trained, run_jobs), slips(1, start=40)[0]
    settle(trained, document, "amount", slip.amount)
    assert labels_of(trained, document) == {"amount": ("review", slip.amount)}
    whole.see_whole(trained.store, trained.reviewer, document)
    assert labels_of(trained, document) == {
        "amount": ("review", slip.amount),
        "member": ("seen", slip.member),
        "paid_on": ("seen", slip.day),
    }
    seen = review_desk.desk(trained.store, trained.reviewer, document, look=True)
    assert (seen.state, seen.seen_by) == ("settled", trained.reviewer.name)
    whole.see_whole(trained.store, trained.reviewer, document, seen=False)
    assert labels_of(trained, document) == {"amount": ("review", slip.amount)}


def test_a_held_field_is_no_label_by_being_seen(trained: Office, run_jobs: Run) -> None:
    document = half_held(trained, run_jobs)
    stands = whole.see_whole(trained.store, trained.reviewer, document)
    assert (stands.state, stands.open) == ("held", 1)
    assert set(labels_of(trained, document)) == {"member", "paid_on"}
    assert settle(trained, document, "amount", "12,00").state == "settled"
    assert labels_of(trained, document)["amount"] == ("review", "12,00")


def test_a_table_and_an_absent_field_that_passed_are_labels_too(trained: Office, run_jobs: Run) -> None:
    for given in (FieldInput(name="Boat", required=False), FieldInput(name="Goods", kind="table", required=False)):
        columns = [FieldInput(name="Item")] if given.kind == "table" else []
        plan_fields.add_field(trained.store, trained.analyst, trained.type_id, given, columns=columns)
    document = live(trained, run_jobs, threshold=0.0)
    whole.see_whole(trained.store, trained.reviewer, document)
    found = {label.field: label.absent for label in label_rows.labels(trained.store, document)}
    assert found["boat"]
    assert found["goods"]
    assert not found["member"]


def test_what_a_person_said_outlives_that_the_paper_was_seen(trained: Office, run_jobs: Run) -> None:
    document = half_held(trained, run_jobs)
    settling.settle(trained.store, trained.reviewer, document, "member", [], absent=True)  # it had passed
    whole.see_whole(trained.store, trained.reviewer, document)
    assert labels_of(trained, document)["member"] == ("review", "")
    whole.see_whole(trained.store, trained.reviewer, document, seen=False)
    assert labels_of(trained, document) == {"member": ("review", "")}


def test_two_people_do_not_overwrite_each_other_by_it(trained: Office, run_jobs: Run) -> None:
    document = half_held(trained, run_jobs)
    revision = review_desk.desk(trained.store, trained.reviewer, document, look=True).revision
    settle(trained, document, "amount", "12,00")
    with pytest.raises(Conflict, match="changed by somebody else"):
        whole.see_whole(trained.store, trained.reviewer, document, revision=revision)


def test_figures_count_papers_seen_as_a_whole_and_held_values_apart(trained: Office, run_jobs: Run) -> None:
    for number in (40, 41, 42, 43):
        document, slip = half_held(trained, run_jobs, number), slips(1, start=number)[0]
        settle(trained, document, "amount", slip.amount)
        if number == 40:
            whole.see_whole(trained.store, trained.reviewer, document)
    with trained.store.session() as session:
        kinds = [sample.looked_at for sample in training_samples(session, trained.type_id)]
    assert [kinds.count(kind) for kind in LookedAt] == [10, 1, 3]
    view = versions.overview(trained.store, trained.type_id)
    assert (view.labelled, view.reviewed, view.new_since) == (10, 4, 4)
    second = training.start(trained.store, trained.analyst, trained.type_id)
    run_jobs()
    report = versions.version_view(trained.store, second).report
    assert report is not None
    assert (report.papers, report.reviewed, report.reviewed_whole) == (14, 4, 1)
    assert report.seen_total == 3 * 11  # the ten labelled papers and the one that was seen
    assert report.held_values is not None
    assert report.held_values.total == 3
    against = versions.against_other(trained.store, second)
    assert against is not None
    assert (against.number, against.live, against.comparison.common) == (1, True, 30)
    assert versions.overview(trained.store, trained.type_id).new_since == 0
    # Weigh counts the same: held values are drawn, and neither outcome nor proposed threshold rests on them.
    versions.publish(trained.store, trained.analyst, second)
    weighed = weighing.weigh(trained.store, trained.type_id)
    assert weighed.frontier.points[-1].point.outcome.total == 3 * 11
    assert weighed.drawn_held == 2 * 3  # held out with others of their layout, and with all of it
    thresholds = {field.key: 0.0 for field in weighed.fields}
    follows = weighing.what_follows(trained.store, trained.type_id, thresholds, 0.0)
    assert follows.total.point.outcome.passing == 3 * 11
    policies.save_policy(trained.store, trained.analyst, trained.type_id, thresholds, 0.0)
    assert policies.policies(trained.store, trained.type_id)[0].outcome["passing"] == 3 * 11
