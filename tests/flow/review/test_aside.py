"""Reasons for setting papers aside, as a type offers them."""

from __future__ import annotations

import pytest
from sqlalchemy import select
from tests.office import Office

from jugum.errors import Forbidden, InputError
from jugum.flow.review import aside, queue
from jugum.store.models import Audit


def offered(office: Office) -> list[str]:
    return queue.queue(office.store, office.reviewer, office.type_id).aside_reasons


def test_a_type_offers_the_usual_reasons_until_it_has_its_own(office: Office) -> None:
    assert offered(office) == list(aside.USUAL_REASONS)
    given = ["  The stamp is missing ", "", "Another office's", "The stamp is missing"]
    kept = aside.set_aside_reasons(office.store, office.analyst, office.type_id, given)
    assert kept == offered(office) == ["The stamp is missing", "Another office's"]
    with office.store.session() as session:
        changed = session.scalars(select(Audit).where(Audit.action == "set reasons for setting aside")).one()
        assert changed.detail["after"] == kept
    assert aside.set_aside_reasons(office.store, office.analyst, office.type_id, [" "]) == list(aside.USUAL_REASONS)


def test_each_reason_has_a_key_and_is_short(office: Office) -> None:
    with pytest.raises(InputError, match="At most 9"):
        aside.set_aside_reasons(office.store, office.analyst, office.type_id, list("abcdefghij"))
    with pytest.raises(InputError, match="at most 80 letters"):
        aside.set_aside_reasons(office.store, office.analyst, office.type_id, ["so " * 40])
    with pytest.raises(Forbidden):
        aside.set_aside_reasons(office.store, office.reviewer, office.type_id, ["mine"])
    assert offered(office) == list(aside.USUAL_REASONS)
