"""What the palette finds, and for whom."""

from __future__ import annotations

from collections.abc import Callable

from tests.office import Office
from tests.papers import slips

from jugum.flow.office import people
from jugum.flow.overview.search import search
from jugum.flow.plan import fields as plan_fields
from jugum.flow.plan.fields import FieldInput
from jugum.flow.weigh import policies


def hits(office: Office, words: str, login: str = "analyst") -> list[tuple[str, str]]:
    actor = people.actor_by_login(office.store, login)
    return [(hit.kind, hit.label) for hit in search(office.store, actor, words)]


def test_types_papers_fields_values_and_people_are_found(trained: Office, run_jobs: Callable[[], None]) -> None:
    policies.save_policy(
        trained.store, trained.analyst, trained.type_id, dict.fromkeys(("member", "paid_on", "amount"), 0.0), 0.0
    )
    slip = slips(41)[40]
    document = trained.bring(slip, "live")
    run_jobs()
    assert hits(trained, "mooring") == [("type", "Mooring slip")]
    assert ("field", "Amount") in hits(trained, "amou")
    (value,) = [hit for hit in search(trained.store, trained.analyst, slip.amount) if hit.kind == "value"]
    assert (value.label, value.address) == (slip.amount, f"/look/{document}?field=amount")
    normal = slip.amount.replace(" ", "").replace(",", ".")
    assert ("value", slip.amount) in hits(trained, normal)
    assert ("person", "Rik") in hits(trained, "rik", "admin")
    assert ("person", "Rik") not in hits(trained, "rik")
    assert hits(trained, "%%") == hits(trained, "a") == []


def test_papers_lead_to_where_they_are_looked_at(trained: Office, run_jobs: Callable[[], None]) -> None:
    waiting = trained.bring(slips(43)[42], "live")
    addresses = {hit.address for hit in search(trained.store, trained.analyst, "slip-") if hit.kind == "paper"}
    assert f"/documents/{waiting}/explore" in addresses
    assert any(address.startswith("/label/") for address in addresses)
    run_jobs()
    addresses = {hit.address for hit in search(trained.store, trained.analyst, "slip-") if hit.kind == "paper"}
    assert f"/look/{waiting}" in addresses


def test_personal_values_are_found_only_by_who_may_see_them(trained: Office, run_jobs: Callable[[], None]) -> None:
    policies.save_policy(
        trained.store, trained.analyst, trained.type_id, dict.fromkeys(("member", "paid_on", "amount"), 0.0), 0.0
    )
    trained.bring(slips(41)[40], "live")
    run_jobs()
    plan_fields.change_field(
        trained.store,
        trained.analyst,
        trained.type_id,
        "member",
        FieldInput(name="Member", data_type="text", printed_names=["Paid by"], personal=True),
    )
    member = slips(41)[40].member
    assert ("value", member) in hits(trained, member, "reviewer")
    people.set_sees_personal(trained.store, trained.actors["admin"], trained.reviewer.id, sees=False)
    assert ("value", member) not in hits(trained, member, "reviewer")
