"""Spot checks: what passed is drawn, waits in Review without delaying anything, and is answered; a wrong value is
mended and delivered again; a broken promise suspends its policy until a person resumes it."""

from __future__ import annotations

import json
from collections.abc import Callable
from email import message_from_bytes
from email.policy import default as modern

import pytest
from sqlalchemy import delete, select
from tests.flow.review.test_settle import desk, goods_table
from tests.office import Office
from tests.papers import slips

from jugum.core.states import DocumentState, Method
from jugum.core.thresholds.checking import CheckRules
from jugum.core.thresholds.promise import PromiseState
from jugum.errors import Conflict, Forbidden, InputError
from jugum.flow.deliver import results
from jugum.flow.gather import documents
from jugum.flow.label import rows as label_rows
from jugum.flow.label.desk_parts import ValueInput
from jugum.flow.label.rows import CellInput
from jugum.flow.review import desk as review_desk
from jugum.flow.review import queue as review_queue
from jugum.flow.review import reopen as reopening
from jugum.flow.review import settle as settling
from jugum.flow.review import whole
from jugum.flow.review.recheck import Settled
from jugum.flow.weigh import breaches, policies
from jugum.flow.weigh.check_settings import CheckSettings, checking, set_checking
from jugum.flow.weigh.spot_checks import SpotChecksView, spot_checks
from jugum.store.models import CheckedValue, Document, Field, Hold, Label, Policy, Reading, Result, SpotCheck

Run = Callable[[], None]
FIELDS = ("member", "paid_on", "amount")
ALL_OPEN = CheckRules(probation_rate=1.0, blind_share=0.0)
ALL_BLIND = CheckRules(probation_rate=1.0, blind_share=1.0)


def check_all(office: Office, rules: CheckRules = ALL_OPEN, **more: object) -> None:
    """From now on each paper that passes is checked."""
    set_checking(office.store, office.analyst, office.type_id, CheckSettings(rules=rules, **more))  # type: ignore[arg-type]


def passed(office: Office, run_jobs: Run, *numbers: int, threshold: float = 0.0) -> list[int]:
    """Live papers whose fields pass under a new policy."""
    thresholds = dict.fromkeys(FIELDS, threshold)
    policies.save_policy(office.store, office.analyst, office.type_id, thresholds, 0.0)
    brought = [office.bring(slips(number + 1)[number], "live") for number in numbers]
    run_jobs()
    return brought


def state(office: Office, document: int) -> str:
    return documents.document_view(office.store, document).state


def say(office: Office, document: int, key: str, *texts: str) -> Settled:
    values = [ValueInput(text, None, ()) for text in texts]
    return settling.settle(office.store, office.reviewer, document, key, values, absent=not texts)


def drafted(office: Office, document: int, key: str) -> str:
    field = next(field for field in desk(office, document).fields if field.key == key)
    return field.values[0].text


def passed_texts(office: Office, document: int) -> dict[str, str]:
    """What had passed, by field."""
    with office.store.session() as session:
        rows = session.execute(select(Field.key, Result.text).join(Result).where(Result.document_id == document))
        return {key: text for key, text in rows}


def agree(office: Office, document: int, *keys: str) -> Settled:
    """A person finds what stands for some fields right."""
    for key in keys or FIELDS:
        settled = say(office, document, key, drafted(office, document, key))
    return settled


def shown(office: Office) -> SpotChecksView:
    return spot_checks(office.store, office.type_id)


def test_a_paper_that_is_drawn_waits_in_review_and_delays_nothing(trained: Office, run_jobs: Run) -> None:
    check_all(trained)
    (document,) = passed(trained, run_jobs, 41)
    assert state(trained, document) == "passed"
    queue = review_queue.queue(trained.store, trained.reviewer, trained.type_id)
    (row,) = queue.rows
    assert (row.id, row.reasons, row.state, queue.checks) == (document, {"spot check": 3}, "passed", 1)
    assert review_queue.claim_next(trained.store, trained.reviewer, trained.type_id) == document
    assert results.results(trained.store, trained.type_id).waiting == 1
    assert [field.hold for field in desk(trained, document).fields] == ["spot check"] * 3


def test_a_paper_that_is_found_right_stays_as_it_passed(trained: Office, run_jobs: Run) -> None:
    check_all(trained)
    (document,) = passed(trained, run_jobs, 41)
    assert agree(trained, document, "member").open == 2
    assert agree(trained, document, "paid_on", "amount").open == 0
    assert state(trained, document) == "passed"
    with trained.store.session() as session:
        origins = set(session.scalars(select(Result.origin).where(Result.document_id == document)))
        methods = set(session.scalars(select(Label.method).where(Label.document_id == document)))
    # It teaches as what was seen with the whole paper does: it was not chosen for being hard.
    assert (origins, methods) == ({"model"}, {Method.SEEN})
    view = shown(trained)
    assert (view.papers, view.waiting, view.drawn) == (1, 0, 1)
    assert (view.all.outcome.passing, view.all.outcome.wrong) == (3, 0)
    assert [(figure.name, figure.papers) for figure in view.by_field] == [("Member", 1), ("Paid on", 1), ("Amount", 1)]
    assert [figure.name for figure in view.by_way] == ["open"]
    assert len(view.by_layout) == 1
    assert view.by_layout[0].name in ("layout 1", "layout 2")
    assert view.winnings[0].winnings < 1
    assert review_queue.queue(trained.store, trained.reviewer, trained.type_id).papers == 0


def test_a_wrong_value_found_after_delivery_is_delivered_as_a_correction(trained: Office, run_jobs: Run) -> None:
    check_all(trained)
    (document,) = passed(trained, run_jobs, 41)
    first = results.deliver(trained.store, trained.analyst, trained.type_id, "json")
    agree(trained, document, "member", "paid_on")
    assert state(trained, document) == "delivered"
    was = drafted(trained, document, "amount")
    say(trained, document, "amount", "77,00")
    assert state(trained, document) == "corrected"
    view = results.results(trained.store, trained.type_id, actor=trained.analyst)
    assert (view.waiting, view.corrections) == (1, 1)
    again = results.deliver(trained.store, trained.analyst, trained.type_id, "json")
    _, data = results.delivered_file(trained.store, trained.analyst, again.id)
    (row,) = json.loads(data)
    assert (row["corrects"], row["state"]) == (first.id, "corrected")
    assert (row["values"]["amount"][0]["text"], row["values"]["amount"][0]["origin"]) == ("77,00", "person")
    assert row["values"]["member"][0]["origin"] == "model"
    assert state(trained, document) == "delivered"
    (wrong,) = shown(trained).found
    assert (wrong.name, wrong.found, wrong.said, wrong.blind) == ("Amount", was, "77,00", False)


def test_of_a_delivered_paper_only_what_is_checked_may_be_said(trained: Office, run_jobs: Run) -> None:
    check_all(trained, CheckRules(probation_rate=1.0, blind_share=1.0, blind_values=1))
    (document,) = passed(trained, run_jobs, 41)
    results.deliver(trained.store, trained.analyst, trained.type_id, "json")
    asked = [field.key for field in desk(trained, document).fields if field.hold]
    assert len(asked) == 1
    other = next(key for key in FIELDS if key not in asked)
    with pytest.raises(Conflict, match="is not among what is checked"):
        say(trained, document, other, "77,00")
    with pytest.raises(Conflict, match="is not among what is checked"):
        reopening.reopen(trained.store, trained.reviewer, document, other)
    set_checking(trained.store, trained.analyst, trained.type_id, CheckSettings(on=False))
    (plain,) = passed(trained, run_jobs, 42)
    results.deliver(trained.store, trained.analyst, trained.type_id, "json")
    with pytest.raises(Conflict, match="is delivered; its fields can't be changed"):
        say(trained, plain, "amount", "77,00")


def test_who_checks_blind_says_a_value_before_seeing_what_passed(trained: Office, run_jobs: Run) -> None:
    check_all(trained, ALL_BLIND)
    (document,) = passed(trained, run_jobs, 41)
    stands = passed_texts(trained, document)
    blind = review_desk.desk(trained.store, trained.reviewer, document)
    assert blind.check == "blind"
    assert [(field.values, field.others, field.confidence) for field in blind.fields] == [([], [], None)] * 3
    # Who looks where a value comes from sees it.
    assert all(field.values for field in desk(trained, document).fields)
    # The same value is right at once.
    assert "member" not in say(trained, document, "member", stands["member"]).holds
    # One that differs is asked for once more, with what had passed beside it.
    held = say(trained, document, "amount", "77,00").holds["amount"]
    assert held.reason == "spot check"
    assert held.detail.startswith(f"“{stands['amount']}” had passed, you say “77,00”")
    beside = review_desk.desk(trained.store, trained.reviewer, document)
    field = next(field for field in beside.fields if field.key == "amount")
    assert ([value.text for value in field.values], [other.text for other in field.others]) == (
        ["77,00"],
        [stands["amount"]],
    )
    # A slip of one's own is no error of what passed.
    say(trained, document, "amount", stands["amount"])
    say(trained, document, "paid_on")
    say(trained, document, "paid_on")
    assert state(trained, document) == "settled"
    view = shown(trained)
    assert (view.all.outcome.passing, view.all.outcome.wrong) == (3, 1)
    assert [figure.name for figure in view.by_way] == ["blind"]
    assert [(wrong.name, wrong.said, wrong.blind) for wrong in view.found] == [("Paid on", "not on the paper", True)]


def test_a_table_that_is_asked_blind_shows_its_rows_when_they_differ(trained: Office, run_jobs: Run) -> None:
    goods_table(trained)
    (document,) = passed(trained, run_jobs, 41)
    row = {"goods.item": "rope", "goods.sum": "12,50"}
    with trained.store.session() as session:
        paper = session.get_one(Document, document)
        fields = {field.key: field for field in paper.placed_type.fields}
        columns = [fields[key].id for key in row]
        session.execute(delete(Hold))
        session.execute(delete(Reading).where(Reading.field_id.in_(columns)))
        paper.state = DocumentState.PASSED
        for key, text in row.items():
            found = {"text": text, "normal": text, "document_id": document, "field_id": fields[key].id}
            session.add(Reading(**found, version_id=paper.version_id, confidence=0.99, layout_similarity=1.0))
            session.add(Result(**found, origin="model", version_id=paper.version_id))
        check = SpotCheck(document_id=document, policy_id=paper.policy_id, probability=1.0, blind=True)
        session.add(check)
        session.flush()
        session.add(
            CheckedValue(
                spot_check_id=check.id,
                document_id=document,
                field_id=fields["goods"].id,
                confidence=0.99,
                layout_similarity=1.0,
            )
        )

    def shown_rows() -> list[list[str]]:
        fields = review_desk.desk(trained.store, trained.reviewer, document).fields
        goods = next(field for field in fields if field.key == "goods")
        return [[cell.text if cell else "" for cell in line] for line in goods.rows]

    def say_rows(item: str) -> Settled:
        rows = [{"goods.item": CellInput(item), "goods.sum": CellInput("12,50")}]
        return settling.settle(trained.store, trained.reviewer, document, "goods", [], rows=rows)

    assert shown_rows() == []
    held = say_rows("ropes").holds["goods"]
    assert held.detail.startswith("“rope; 12,50” had passed, you say “ropes; 12,50”. Its rows as they passed are shown")
    assert shown_rows() == [["rope", "12,50"]]
    assert say_rows("rope").open == 0
    assert shown(trained).all.outcome.wrong == 0


def test_another_answer_afterwards_counts_at_once(trained: Office, run_jobs: Run) -> None:
    check_all(trained)
    papers = passed(trained, run_jobs, 41, 42, 43, 44)
    for document in papers:
        agree(trained, document)
    assert breaches.open_breach(trained.store, trained.type_id) is None
    for document in papers:
        for key in FIELDS:
            say(trained, document, key)
    assert shown(trained).all.outcome.wrong == 12
    assert breaches.open_breach(trained.store, trained.type_id) is not None


def test_few_values_of_a_blind_check_are_asked_for_with_their_share(trained: Office, run_jobs: Run) -> None:
    check_all(trained, CheckRules(probation_rate=1.0, blind_share=1.0, blind_values=2))
    (document,) = passed(trained, run_jobs, 41)
    with trained.store.session() as session:
        shares = session.scalars(select(CheckedValue.share).where(CheckedValue.document_id == document)).all()
    assert shares == [pytest.approx(2 / 3)] * 2
    assert sum(field.hold == "spot check" for field in desk(trained, document).fields) == 2


def test_an_answer_is_taken_back_and_the_value_waits_again(trained: Office, run_jobs: Run) -> None:
    check_all(trained)
    (document,) = passed(trained, run_jobs, 41)
    results.deliver(trained.store, trained.analyst, trained.type_id, "json")
    was = drafted(trained, document, "amount")
    agree(trained, document, "member", "paid_on")
    say(trained, document, "amount", "77,00")
    assert state(trained, document) == "corrected"
    back = reopening.reopen(trained.store, trained.reviewer, document, "amount")
    assert (back.open, list(back.holds)) == (1, ["amount"])
    assert state(trained, document) == "delivered"
    assert drafted(trained, document, "amount") == was
    assert shown(trained).papers == 0
    assert agree(trained, document, "amount").open == 0
    assert shown(trained).all.outcome.wrong == 0


def test_who_has_seen_the_whole_paper_has_checked_it(trained: Office, run_jobs: Run) -> None:
    check_all(trained)
    (document,) = passed(trained, run_jobs, 41)
    seen = whole.see_whole(trained.store, trained.reviewer, document)
    assert (seen.open, state(trained, document)) == (0, "passed")
    assert (shown(trained).papers, shown(trained).all.outcome.passing) == (1, 3)


def test_seeing_the_whole_paper_does_not_answer_what_is_asked_blind(trained: Office, run_jobs: Run) -> None:
    check_all(trained, ALL_BLIND)
    (document,) = passed(trained, run_jobs, 41)
    assert whole.see_whole(trained.store, trained.reviewer, document).open == 3


def test_checked_papers_are_delivered_after_the_check_where_the_type_says_so(trained: Office, run_jobs: Run) -> None:
    check_all(trained, deliver_after=True)
    (document,) = passed(trained, run_jobs, 41)
    view = results.results(trained.store, trained.type_id)
    assert (view.waiting, view.checks) == (0, 1)
    with pytest.raises(InputError, match="nothing to deliver"):
        results.deliver(trained.store, trained.analyst, trained.type_id, "json")
    agree(trained, document)
    assert results.deliver(trained.store, trained.analyst, trained.type_id, "json").papers == 1


def test_what_passes_on_a_held_paper_is_drawn_too(trained: Office, run_jobs: Run) -> None:
    check_all(trained)
    thresholds = {"member": 0.0, "paid_on": 0.0, "amount": 1.0}
    policies.save_policy(trained.store, trained.analyst, trained.type_id, thresholds, 0.0)
    document = trained.bring(slips(42)[41], "live")
    run_jobs()
    reasons = {field.key: field.hold for field in desk(trained, document).fields}
    assert reasons == {"member": "spot check", "paid_on": "spot check", "amount": "low confidence"}
    # The hold that is settled frees the paper; the check goes on.
    assert agree(trained, document, "amount").open == 2
    assert state(trained, document) == "settled"
    assert agree(trained, document, "member", "paid_on").open == 0
    assert shown(trained).all.outcome.passing == 2


def test_a_paper_that_was_checked_is_not_routed_again(trained: Office, run_jobs: Run) -> None:
    check_all(trained)
    held, waiting = passed(trained, run_jobs, 41, 42, threshold=1.0)
    thresholds = {"member": 0.0, "paid_on": 0.0, "amount": 1.0}
    policies.save_policy(trained.store, trained.analyst, trained.type_id, thresholds, 0.0)
    run_jobs()
    whole.see_whole(trained.store, trained.reviewer, held)
    whole.see_whole(trained.store, trained.reviewer, held, seen=False)  # which takes its labels back
    passed(trained, run_jobs)
    assert [state(trained, document) for document in (held, waiting)] == ["held", "passed"]


def test_what_was_said_in_a_check_stands_in_the_history_of_its_value(trained: Office, run_jobs: Run) -> None:
    check_all(trained)
    (document,) = passed(trained, run_jobs, 41)
    was = drafted(trained, document, "amount")
    say(trained, document, "amount", "77,00")
    (change,) = label_rows.history(trained.store, document, "amount")
    assert (change.who, change.before, change.after) == ("Rik", was, "77,00")


def test_what_cannot_be_read_is_no_answer_to_a_check(trained: Office, run_jobs: Run) -> None:
    check_all(trained)
    (document,) = passed(trained, run_jobs, 41)
    with pytest.raises(InputError, match="can't be read as money"):
        say(trained, document, "amount", "about ninety")
    assert state(trained, document) == "passed"


def test_a_paper_that_is_routed_anew_is_drawn_anew(trained: Office, run_jobs: Run) -> None:
    check_all(trained)
    (document,) = passed(trained, run_jobs, 41, threshold=1.0)
    with trained.store.session() as session:
        assert session.scalar(select(SpotCheck.id)) is None  # nothing passes
    passed(trained, run_jobs)
    with trained.store.session() as session:
        (policy,) = session.scalars(select(Policy.number).join(SpotCheck, SpotCheck.policy_id == Policy.id))
    assert (state(trained, document), policy) == ("passed", 2)


# ---- Breaches --------------------------------------------------------------------------------------------------------


def broken(office: Office, run_jobs: Run, **more: object) -> list[int]:
    """Papers that passed, of which the first are checked and found wrong until the promise is called broken. Others
    wait."""
    check_all(office, **more)
    papers = passed(office, run_jobs, 41, 42, 43, 44, 45)
    results.deliver(office.store, office.analyst, office.type_id, "json")
    later = [office.bring(slips(number + 1)[number], "live") for number in (46, 47)]
    run_jobs()
    for document in papers:
        if breaches.open_breach(office.store, office.type_id):
            break
        for key in FIELDS:
            say(office, document, key)
    return later


def test_a_broken_promise_suspends_its_policy_until_a_person_resumes_it(trained: Office, run_jobs: Run) -> None:
    waiting = broken(trained, run_jobs, tell=("office@harbour.example",))
    breach = breaches.open_breach(trained.store, trained.type_id)
    assert breach is not None
    assert (breach.wrong, breach.open, breach.policy) == (breach.values, True, 1)
    assert breach.winnings >= 20
    assert breach.papers <= 3
    run_jobs()
    # What had passed by it and is not delivered waits for a person, and so does what comes in.
    new = trained.bring(slips(49)[48], "live")
    run_jobs()
    assert [state(trained, document) for document in (*waiting, new)] == ["held"] * 3
    with trained.store.session() as session:
        details = set(session.scalars(select(Hold.detail).where(Hold.settled_at.is_(None))))
    assert details == {"the policy is suspended: too much of what passed by it was wrong"}
    (mail,) = (trained.settings.home / "outbox").iterdir()
    message = message_from_bytes(mail.read_bytes(), policy=modern)
    assert message["To"] == "office@harbour.example"
    assert "Mooring slip: the promise of policy 1 is broken" in message["Subject"]
    assert f"Of {breach.values} values" in message.get_content()
    assert shown(trained).suspended
    with pytest.raises(Forbidden):
        breaches.resume(trained.store, trained.reviewer, trained.type_id, "we looked")
    with pytest.raises(InputError, match="Give the reason"):
        breaches.resume(trained.store, trained.analyst, trained.type_id, " ")
    breaches.resume(trained.store, trained.analyst, trained.type_id, "A scanner was out of focus; it is mended.")
    run_jobs()
    assert [state(trained, document) for document in (*waiting, new)] == ["passed"] * 3
    view = shown(trained)
    # Its checks begin anew, on probation.
    assert (view.suspended, view.papers, view.winnings) == (False, 0, [])
    assert view.rate is not None
    assert view.rate.rate == pytest.approx(1.0)
    (over,) = view.breaches
    assert (over.open, over.resumed_by, over.reason) == (False, "Ann", "A scanner was out of focus; it is mended.")
    assert over.told == "office@harbour.example"
    assert len(view.found) == breach.wrong
    with pytest.raises(Conflict, match="No breach"):
        breaches.resume(trained.store, trained.analyst, trained.type_id, "again")


def test_a_breach_of_a_policy_that_is_not_to_be_suspended_is_told_only(trained: Office, run_jobs: Run) -> None:
    waiting = broken(trained, run_jobs, suspends=False)
    run_jobs()
    assert breaches.open_breach(trained.store, trained.type_id) is not None
    assert not shown(trained).suspended
    assert [state(trained, document) for document in waiting] == ["passed"] * 2


def test_another_policy_takes_the_place_of_one_that_is_suspended(trained: Office, run_jobs: Run) -> None:
    waiting = broken(trained, run_jobs)
    run_jobs()
    passed(trained, run_jobs)
    view = shown(trained)
    assert (view.policy, view.suspended, view.papers) == (2, False, 0)
    assert [(breach.open, breach.replaced_by) for breach in view.breaches] == [(False, 2)]
    assert [state(trained, document) for document in waiting] == ["passed"] * 2


def test_what_was_found_wrong_says_that_the_promise_is_broken(trained: Office, run_jobs: Run) -> None:
    broken(trained, run_jobs)
    view = shown(trained)
    assert view.promise is not None
    assert view.promise.state is PromiseState.BROKEN
    assert view.all.outcome.error_share == 1.0
    assert view.winnings[-1].winnings >= view.alarm


def test_settings_are_checked_and_kept(trained: Office) -> None:
    for wrong, said in (
        (CheckSettings(tell=("nobody",)), "no mail address"),
        (CheckSettings(rules=CheckRules(probation_rate=1.5)), "between 0 and 100 %"),
        (CheckSettings(rules=CheckRules(notice_times=1.0)), "1.2 to 20 times"),
        (CheckSettings(rules=CheckRules(notice_days=0)), "1 to 365 days"),
        (CheckSettings(half_life_days=0), "counts? half"),
    ):
        with pytest.raises(InputError, match=said):
            set_checking(trained.store, trained.analyst, trained.type_id, wrong)
    kept = CheckSettings(rules=ALL_BLIND, deliver_after=True, suspends=False, tell=("a@b.example",), half_life_days=30)
    set_checking(trained.store, trained.analyst, trained.type_id, kept)
    assert checking(trained.store, trained.type_id) == kept
    with pytest.raises(Forbidden):
        set_checking(trained.store, trained.reviewer, trained.type_id, kept)
