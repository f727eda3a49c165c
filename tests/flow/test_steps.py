"""Plan, label, train, weigh, review, deliver: the rules of each step on a real database."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Callable

import pytest
from sqlalchemy import select
from tests.office import PASSWORD, Office
from tests.papers import Slip, slips

from jugum.core.training.stages import Stage
from jugum.errors import Conflict, Forbidden, InputError, NotSignedIn
from jugum.flow import in_force
from jugum.flow.deliver import results
from jugum.flow.gather import documents
from jugum.flow.in_force import LoadedVersions
from jugum.flow.label import desk as label_desk
from jugum.flow.label import past_records, samples, sets
from jugum.flow.label.desk_parts import ValueInput
from jugum.flow.office import keys, people, sign_in
from jugum.flow.office import types as types_
from jugum.flow.overview import overview
from jugum.flow.plan import fields as plan_fields
from jugum.flow.review import desk as review_desk
from jugum.flow.review import draft
from jugum.flow.review import settle as settling
from jugum.flow.train import training, versions
from jugum.flow.weigh import policies, weighing
from jugum.store.models import ApiKey, Audit, Field

Run = Callable[[], None]


def test_a_field_with_labels_is_removed_only_by_one_who_knows_what_is_lost(office: Office, run_jobs: Run) -> None:
    document = office.bring(slips(1)[0])
    run_jobs()
    label_desk.set_label(office.store, office.analyst, document, "amount", [ValueInput("12,00")])
    with pytest.raises(Conflict, match="labelled on 1 papers"):
        plan_fields.remove_field(office.store, office.analyst, office.type_id, "amount", labels_known=0)
    plan_fields.remove_field(office.store, office.analyst, office.type_id, "amount", labels_known=1)
    assert [f.key for f in plan_fields.fields(office.store, office.type_id)] == ["member", "paid_on"]


def test_fields_move_and_change_and_their_labels_follow_the_data_type(office: Office, run_jobs: Run) -> None:
    plan_fields.move_field(office.store, office.analyst, office.type_id, "amount", 0)
    assert [f.key for f in plan_fields.fields(office.store, office.type_id)] == ["amount", "member", "paid_on"]
    document = office.bring(slips(1)[0])
    run_jobs()
    label_desk.set_label(office.store, office.analyst, document, "member", [ValueInput("03.04.2026")])
    plan_fields.change_field(
        office.store, office.analyst, office.type_id, "member", plan_fields.FieldInput(name="Day", data_type="date")
    )
    assert label_desk.labels(office.store, document)[0].values[0].normal == "2026-04-03"


@pytest.mark.parametrize(
    ("given", "said"),
    [
        (plan_fields.FieldInput(name="Amount"), "already"),
        (plan_fields.FieldInput(name="X", data_type="colour"), "not a data type"),
        (plan_fields.FieldInput(name=" "), "needs a name"),
    ],
)
def test_fields_that_can_t_be_are_refused(office: Office, given: plan_fields.FieldInput, said: str) -> None:
    with pytest.raises((Conflict, InputError), match=said):
        plan_fields.add_field(office.store, office.analyst, office.type_id, given)


def test_labels_are_taken_from_words_or_typing_and_show_their_normal_form(office: Office, run_jobs: Run) -> None:
    slip = Slip("Oddny Strand", "04.05.2026", "1 234,50")
    document = office.bring(slip)
    run_jobs()
    words = label_desk.desk(office.store, office.analyst, document, LoadedVersions()).pages[0].words
    at = next(n for n, w in enumerate(words) if w[0] == "234,50")
    label_desk.set_label(office.store, office.analyst, document, "amount", [ValueInput(None, 1, (at - 1, at))])
    label_desk.set_label(office.store, office.analyst, document, "paid_on", [ValueInput("some day")])
    fields = {f.key: f for f in label_desk.desk(office.store, office.analyst, document, LoadedVersions()).fields}
    assert fields["amount"].values[0].text == "1 234,50"
    assert fields["amount"].values[0].normal == "1234.50"
    assert fields["paid_on"].values[0].text == "some day"  # kept, though it can't be read as a date
    assert fields["paid_on"].values[0].normal == ""
    with pytest.raises(InputError, match="Member"):
        label_desk.done(office.store, office.analyst, document)
    label_desk.set_label(office.store, office.analyst, document, "member", [], absent=True)
    assert label_desk.done(office.store, office.analyst, document) is None
    assert documents.document_view(office.store, document).state == "labelled"


def test_words_that_are_not_on_the_page_and_second_values_are_refused(office: Office, run_jobs: Run) -> None:
    document = office.bring(slips(1)[0])
    run_jobs()
    for values, said in (
        ([ValueInput(None, 1, (500,))], "not among them"),
        ([ValueInput(None, 7, (0,))], "Page 7 has 0 words"),
        ([ValueInput("")], "No value"),
        ([ValueInput("1,00"), ValueInput("2,00")], "one value"),
    ):
        with pytest.raises(InputError, match=said):
            label_desk.set_label(office.store, office.analyst, document, "amount", values)
    with pytest.raises(InputError, match="both"):
        label_desk.set_label(office.store, office.analyst, document, "amount", [ValueInput("1,00")], absent=True)


def test_two_people_on_one_paper_are_told_and_overwrite_nothing_unseen(office: Office, run_jobs: Run) -> None:
    document = office.bring(slips(1)[0])
    run_jobs()
    mine = label_desk.desk(office.store, office.analyst, document, LoadedVersions())
    theirs = label_desk.desk(office.store, office.actors["analyst2"], document, LoadedVersions())
    assert [other.name for other in theirs.others] == ["Ann"]
    label_desk.set_label(
        office.store, office.actors["analyst2"], document, "amount", [ValueInput("1,00")], revision=theirs.revision
    )
    with pytest.raises(Conflict, match="changed by somebody else"):
        label_desk.set_label(
            office.store, office.analyst, document, "amount", [ValueInput("2,00")], revision=mine.revision
        )
    assert label_desk.labels(office.store, document)[0].values[0].text == "1,00"


def keyed_csv(*rows: tuple[str, str, str]) -> bytes:
    out = io.StringIO()
    csv.writer(out).writerows(
        [("file", "type", "field", "value"), *((name, "Mooring slip", key, value) for name, key, value in rows)]
    )
    return out.getvalue().encode()


def test_keyed_values_become_labels_with_their_places(office: Office, run_jobs: Run) -> None:
    slip = slips(1)[0]
    document = office.bring(slip)
    run_jobs()
    name = documents.document_view(office.store, document).name
    data = keyed_csv(
        *((name, key, text) for key, text in slip.truth.items()), ("gone.pdf", "amount", "1"), (name, "colour", "red")
    )
    report = past_records.import_records(office.store, office.analyst, office.type_id, data, complete=True)
    assert (report.placed, report.not_found) == (3, 0)
    assert len(report.unknown) == 2
    labels = {label.field: label.values[0] for label in label_desk.labels(office.store, document)}
    assert labels["member"].text == slip.member
    assert all(value.box for value in labels.values())
    assert documents.document_view(office.store, document).state == "labelled"


def save_policy(office: Office, threshold: float, gate: float = 0.0) -> int:
    keys = [f.key for f in plan_fields.fields(office.store, office.type_id)]
    return policies.save_policy(office.store, office.analyst, office.type_id, dict.fromkeys(keys, threshold), gate)


def test_training_shows_figures_of_held_out_papers_and_counts_new_labels(trained: Office) -> None:
    view = versions.overview(trained.store, trained.type_id)
    report = view.versions[0].report
    assert (view.labelled, view.new_since) == (10, 0)
    assert report.seen_total == 30
    assert report.seen_right >= 27
    assert {(row.values, row.absent, sum(row.by_layout)) for row in view.coverage} == {(10, 0, 10)}
    assert len(view.layouts) == 2


def test_one_version_trains_at_a_time_and_publishing_retires_the_one_before(trained: Office, run_jobs: Run) -> None:
    second = training.start(trained.store, trained.analyst, trained.type_id)
    with pytest.raises(Conflict, match="is waiting for training already"):
        training.start(trained.store, trained.analyst, trained.type_id)
    run_jobs()
    versions.publish(trained.store, trained.analyst, second)
    assert [v.state for v in versions.versions(trained.store, trained.type_id)] == ["published", "retired"]


def test_training_without_labels_fails_with_a_word(office: Office, run_jobs: Run) -> None:
    version = training.start(office.store, office.analyst, office.type_id)
    run_jobs()
    view = versions.version_view(office.store, version)
    assert view.state == "failed"
    assert "at least 3" in (view.error or "")


def test_thresholds_decide_what_passes_and_what_is_held(trained: Office, run_jobs: Run) -> None:
    waiting = trained.bring(slips(1, start=31)[0], "live")
    run_jobs()
    assert documents.document_view(trained.store, waiting).holds == 3  # no policy yet: everything is held
    save_policy(trained, 0.5)
    run_jobs()
    assert documents.document_view(trained.store, waiting).state == "passed"
    save_policy(trained, 1.0)
    held = trained.bring(slips(1, start=32)[0], "live")
    run_jobs()
    assert documents.document_view(trained.store, held).holds == 3
    assert documents.document_view(trained.store, waiting).state == "passed"  # what passed is not called back


def test_papers_of_a_layout_nobody_labelled_are_held_by_the_gate(trained: Office, run_jobs: Run) -> None:
    save_policy(trained, 0.05, gate=0.6)
    strange = trained.bring(slips(1, start=33)[0], "live", layout=2)
    familiar = trained.bring(slips(1, start=34)[0], "live", layout=1)
    run_jobs()
    assert documents.document_view(trained.store, strange).state == "held"
    assert documents.document_view(trained.store, familiar).state == "passed"


def test_what_follows_is_counted_on_held_out_papers_and_policies_can_go_back(trained: Office) -> None:
    view = weighing.weigh(trained.store, trained.type_id)
    assert sum(len(field.points) for field in view.fields) == 60  # 30 of layouts seen, 30 of layouts held out
    thresholds = {field.key: 0.0 for field in view.fields}
    all_pass = weighing.what_follows(trained.store, trained.type_id, thresholds, 0.0).total.point.outcome
    assert all_pass.passing == all_pass.total == 30
    save_policy(trained, 0.7)
    save_policy(trained, 0.9)
    assert policies.go_back(trained.store, trained.analyst, trained.type_id, 1) == 3
    newest = policies.policies(trained.store, trained.type_id)[0]
    assert set(newest.thresholds.values()) == {0.7}
    assert newest.note == "Back to policy 1"
    with pytest.raises(InputError, match="missing"):
        policies.save_policy(trained.store, trained.analyst, trained.type_id, {"amount": 0.5}, 0.5)
    with pytest.raises(InputError, match="between 0 and 1"):
        save_policy(trained, 1.5)


def test_settling_the_last_field_settles_the_paper_and_makes_labels(trained: Office, run_jobs: Run) -> None:
    save_policy(trained, 1.0)
    slip = slips(1, start=35)[0]
    document = trained.bring(slip, "live")
    run_jobs()
    desk = review_desk.desk(trained.store, trained.reviewer, document)
    assert {f.key for f in desk.fields if f.hold} == {"member", "paid_on", "amount"}
    held = settling.settle(trained.store, trained.reviewer, document, "paid_on", [ValueInput("soon")]).holds
    assert "can't be read as date" in held["paid_on"].detail
    for field in desk.fields:
        value = field.values[0]
        text = "99,00" if field.key == "amount" else value.text
        settled = settling.settle(
            trained.store, trained.reviewer, document, field.key, [ValueInput(text, value.page, (), tuple(value.box))]
        )  # type: ignore[arg-type]
    assert (settled.state, settled.open) == ("settled", 0)
    row = results.results(trained.store, trained.type_id).rows[0]
    assert row.values["amount"][0].normal == "99.00"
    assert (row.values["member"][0].origin, row.values["member"][0].person) == ("person", "Rik")
    assert {(label.field, label.method) for label in label_desk.labels(trained.store, document)} == {
        (k, "review") for k in slip.truth
    }
    with trained.store.session() as session:
        learned = samples.training_samples(session, trained.type_id)
    assert len(learned) == 11  # the settled paper teaches


def test_drafting_again_never_touches_a_paper_a_person_has_begun(trained: Office, run_jobs: Run) -> None:
    save_policy(trained, 1.0)
    document = trained.bring(slips(1, start=36)[0], "live")
    run_jobs()
    value = next(
        f for f in review_desk.desk(trained.store, trained.reviewer, document).fields if f.key == "member"
    ).values[0]
    settling.settle(
        trained.store,
        trained.reviewer,
        document,
        "member",
        [ValueInput(value.text, value.page, (), tuple(value.box or ()))],
    )  # type: ignore[arg-type]
    save_policy(trained, 0.01)
    draft.draft(trained.store, document, LoadedVersions())
    run_jobs()
    assert documents.document_view(trained.store, document).holds == 2


def test_a_paper_is_delivered_once(trained: Office, run_jobs: Run) -> None:
    save_policy(trained, 0.3)
    slip = slips(1, start=37)[0]
    trained.bring(slip, "live")
    run_jobs()
    sent = results.deliver(trained.store, trained.analyst, trained.type_id, "json")
    assert sent.papers == 1
    values = json.loads(results.delivered_file(trained.store, trained.analyst, sent.id)[1])[0]["values"]
    assert values["amount"][0]["text"] == slip.amount
    assert values["amount"][0]["version"] == 1
    with pytest.raises(InputError, match="nothing to deliver"):
        results.deliver(trained.store, trained.analyst, trained.type_id, "csv")
    assert results.results(trained.store, trained.type_id, search=slip.member).total == 1
    assert results.results(trained.store, trained.type_id, search="nobody of this name").total == 0


def test_the_overview_names_the_next_step_at_each_stage(office: Office, run_jobs: Run) -> None:
    def first() -> str:
        return overview.next_steps(overview.steps(office.store, office.type_id))[0].step

    assert first() == "gather"
    document = office.bring(slips(1)[0])
    run_jobs()
    assert first() == "label"
    office.label_whole(document, slips(1)[0])
    assert overview.steps(office.store, office.type_id).labelled == 1


def test_every_change_leaves_an_audit_row(trained: Office) -> None:
    with trained.store.session() as session:
        actions = set(session.scalars(select(Audit.action)))
    assert {
        "add person",
        "change plan",
        "receive",
        "read",
        "label",
        "labelled",
        "start training",
        "trained",
        "publish",
    } <= actions


def test_roles_hold(office: Office) -> None:
    for act in (
        lambda: types_.add_type(office.store, office.reviewer, 1, "X"),
        lambda: label_desk.done(office.store, office.reviewer, 1),
        lambda: training.start(office.store, office.reviewer, office.type_id),
        lambda: people.add_person(office.store, office.analyst, login="x", name="X", role="analyst", password=PASSWORD),
        lambda: results.deliver(office.store, office.reviewer, office.type_id, "csv"),
    ):
        with pytest.raises(Forbidden, match="may not"):
            act()


def test_sign_in_says_the_same_for_every_mistake(office: Office) -> None:
    assert sign_in.sign_in(office.store, " Analyst ", PASSWORD).name == "Ann"
    people.set_active(office.store, office.actors["admin"], office.actors["analyst2"].id, active=False)
    said = set()
    for login, password in (("analyst", "wrong"), ("nobody", PASSWORD), ("analyst2", PASSWORD)):
        with pytest.raises(NotSignedIn) as caught:
            sign_in.sign_in(office.store, login, password)
        said.add(str(caught.value))
    assert len(said) == 1
    with pytest.raises(Conflict, match="last administrator"):
        people.set_active(office.store, office.actors["admin"], office.actors["admin"].id, active=False)


def test_keys_are_kept_as_hashes_and_can_be_taken_back(office: Office) -> None:
    key = keys.make_key(office.store, office.analyst, "import", office.workspace_id)
    assert keys.actor_by_key(office.store, key).id == office.analyst.id
    (view,) = keys.keys_of(office.store, office.analyst)
    assert (view.workspace, view.is_in_use) == ("Harbour Co-operative", True)
    with office.store.session() as session:
        row = session.get_one(ApiKey, view.id)
        assert key not in (row.key_hash, row.start)
    keys.revoke_key(office.store, office.analyst, view.id)
    assert not keys.keys_of(office.store, office.analyst)[0].is_in_use
    with pytest.raises(NotSignedIn):
        keys.actor_by_key(office.store, key)


def test_field_rows_keep_the_order_of_the_plan(office: Office) -> None:
    with office.store.session() as session:
        rows = session.scalars(select(Field).where(Field.type_id == office.type_id).order_by(Field.position)).all()
    assert [row.position for row in rows] == [0, 1, 2]


def test_a_training_can_be_cancelled_and_the_next_one_goes_on(office: Office, run_jobs: Run) -> None:
    for document, slip in [(office.bring(slip, layout=n % 2), slip) for n, slip in enumerate(slips(4))]:
        run_jobs()
        office.label_whole(document, slip)
    waiting = training.start(office.store, office.analyst, office.type_id)
    training.cancel(office.store, office.analyst, waiting)
    run_jobs()
    view = versions.version_view(office.store, waiting)
    assert (view.state, view.error) == ("failed", "Cancelled by Ann.")
    with pytest.raises(Conflict, match="no training to cancel"):
        training.cancel(office.store, office.analyst, waiting)
    running = training.start(office.store, office.analyst, office.type_id)
    with office.store.session() as session:
        in_force.version_row(session, running).state = "training"
    teller = training.ProgressWriter(office.store, running)
    teller(Stage.COMPARING, 1.0)
    training.cancel(office.store, office.analyst, running)
    with pytest.raises(training.TrainingCancelledError):
        teller(Stage.COMPARING, 1.0)


def test_papers_of_the_test_set_measure_the_version_and_nothing_else(office: Office, run_jobs: Run) -> None:
    its = [(office.bring(slip, layout=n % 2), slip) for n, slip in enumerate(slips(8))]
    run_jobs()
    for document, slip in its:
        office.label_whole(document, slip)
    sets.put(office.store, office.analyst, [document for document, _ in its[:2]], "test")
    version = training.start(office.store, office.analyst, office.type_id)
    run_jobs()
    report = versions.version_view(office.store, version).report
    assert report.papers == 6
    assert (report.test.papers, report.test.total) == (2, 6)
    assert report.test.right == sum(field.right for field in report.test.fields.values())


def test_a_version_is_set_against_the_live_one_on_the_papers_both_judged(trained: Office, run_jobs: Run) -> None:
    (first,) = versions.versions(trained.store, trained.type_id)
    assert versions.against_other(trained.store, first.id) is None
    second = training.start(trained.store, trained.analyst, trained.type_id)
    run_jobs()
    found = versions.against_other(trained.store, second)
    assert found is not None
    assert found.live
    number, comparison = found.number, found.comparison
    assert (number, comparison.gained, comparison.lost) == (1, 0, 0)  # the same labels and seed give the same version
    assert comparison.common == 30
