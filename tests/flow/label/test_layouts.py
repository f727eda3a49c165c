"""Layout groups on a real database: grouped in the background, by two at once, and merged meanwhile."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from sqlalchemy import delete, func, select, update
from tests.office import Office
from tests.papers import slips

from jugum.flow.label import layouts
from jugum.store.models import Document, LayoutGroup

Run = Callable[[], None]


def test_looking_at_the_layouts_groups_nothing_but_has_it_done_in_the_background(office: Office, run_jobs: Run) -> None:
    for number, slip in enumerate(slips(4)):
        office.bring(slip, layout=number % 2)
    run_jobs()
    with office.store.session() as session:
        session.execute(update(Document).values(layout_group_id=None))
        session.execute(delete(LayoutGroup))
    assert layouts.layout_groups(office.store, office.type_id) == []
    with office.store.session() as session:
        assert session.scalar(select(func.count(Document.id)).where(Document.layout_group_id.is_not(None))) == 0
    run_jobs()
    assert sum(layout.papers for layout in layouts.layout_groups(office.store, office.type_id)) == 4


def test_two_who_group_papers_at_once_make_the_same_groups(
    office: Office, run_jobs: Run, monkeypatch: pytest.MonkeyPatch
) -> None:
    for number, slip in enumerate(slips(4)):
        office.bring(slip, layout=number % 2)
    run_jobs()
    with office.store.session() as session:
        session.execute(update(Document).values(layout_group_id=None))
        session.execute(delete(LayoutGroup))
    real, inside = layouts._grouped, []

    def other_is_first(given: object) -> object:
        if not inside:
            inside.append(True)
            layouts.group_new(office.store, office.type_id)
        return real(given)  # type: ignore[arg-type]

    monkeypatch.setattr(layouts, "_grouped", other_is_first)
    layouts.group_new(office.store, office.type_id)
    assert sorted(layout.papers for layout in layouts.layout_groups(office.store, office.type_id)) == [2, 2]


def test_a_layout_merged_away_while_papers_are_grouped_takes_none_of_them(
    office: Office, run_jobs: Run, monkeypatch: pytest.MonkeyPatch
) -> None:
    papers = [office.bring(slip, layout=number % 2) for number, slip in enumerate(slips(4))]
    run_jobs()
    layouts.group_new(office.store, office.type_id)
    older, newer = sorted(layout.id for layout in layouts.layout_groups(office.store, office.type_id))
    with office.store.session() as session:
        session.execute(update(Document).where(Document.id.in_(papers[2:])).values(layout_group_id=None))
    real, merged = layouts._grouped, []

    def merged_meanwhile(given: object) -> object:
        found = real(given)  # type: ignore[arg-type]
        if not merged:
            merged.append(layouts.merge(office.store, office.analyst, [newer, older]))
        return found

    monkeypatch.setattr(layouts, "_grouped", merged_meanwhile)
    layouts.group_new(office.store, office.type_id)
    with office.store.session() as session:
        groups = set(session.scalars(select(Document.layout_group_id)))
    assert None not in groups
    assert older not in groups
    assert newer in groups
