"""What tests of flow and API share."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

from jugum.flow.gather import documents
from jugum.flow.label import desk as label_desk
from jugum.flow.label.desk_parts import ValueInput
from jugum.flow.office import people
from jugum.flow.office import types as types_
from jugum.flow.office.actor import Actor
from jugum.flow.plan import fields as plan_fields
from jugum.flow.train import training, versions
from jugum.flow.weigh.check_settings import CheckSettings, set_checking
from jugum.settings import Settings
from jugum.store import Store
from jugum.store.queue import Queue
from tests.papers import Slip, joined, many_pages, slip_pdf, slips, words_pdf

PASSWORD = "long enough to pass"


@dataclass
class Office:
    """A store with people and a document type."""

    store: Store
    settings: Settings
    actors: dict[str, Actor]
    type_id: int
    workspace_id: int

    @property
    def analyst(self) -> Actor:
        return self.actors["analyst"]

    @property
    def reviewer(self) -> Actor:
        return self.actors["reviewer"]

    def bring(self, slip: Slip, purpose: str = "sample", layout: int = 0) -> int:
        name = f"slip-{slip.member}-{layout}.pdf".replace(" ", "-")
        return documents.receive(
            self.store, self.analyst, self.type_id, name, slip_pdf(slip, layout), purpose=purpose
        ).document_id

    def bring_long(self, slip: Slip) -> int:
        """A sample of 20 pages, of which the 15th is a slip."""
        data = joined(many_pages(14), slip_pdf(slip), many_pages(5))
        return documents.receive(
            self.store, self.analyst, self.type_id, "bundle.pdf", data, purpose="sample"
        ).document_id

    def label_whole(self, document_id: int, slip: Slip) -> None:
        """Label a slip by the words its values stand on, and finish it."""
        with self.store.session() as session:
            from jugum.flow.label.desk_parts import page_views

            words = page_views(session, document_id)[0].words
        for key, text in slip.truth.items():
            label_desk.set_label(
                self.store, self.analyst, document_id, key, [ValueInput(None, 1, span_of(words, text))]
            )
        label_desk.done(self.store, self.analyst, document_id)


def span_of(words: list[list[object]], text: str) -> tuple[int, ...]:
    """Indices of the words that say a text."""
    wanted = text.split()
    for start in range(len(words)):
        if [word[0] for word in words[start : start + len(wanted)]] == wanted:
            return tuple(range(start, start + len(wanted)))
    raise AssertionError(f"{text!r} is not on the page: {[word[0] for word in words]}")


def fill_office(store: Store) -> Office:
    """An administrator, analysts, a reviewer and a workspace with one document type of three fields, in an empty
    store."""
    people.add_person(store, None, login="admin", name="Ada", role="administrator", password=PASSWORD)
    admin = people.actor_by_login(store, "admin")
    actors: dict[str, Actor] = {"admin": admin}
    for login, name, role in (
        ("analyst", "Ann", "analyst"),
        ("analyst2", "Bo", "analyst"),
        ("reviewer", "Rik", "reviewer"),
    ):
        people.add_person(store, admin, login=login, name=name, role=role, password=PASSWORD)
        actors[login] = people.actor_by_login(store, login)
    workspace = types_.add_workspace(store, actors["analyst"], "Harbour Co-operative")
    for login, role in (("analyst2", "analyst"), ("reviewer", "reviewer")):
        people.let_in(store, admin, actors[login].id, workspace, role)
    actors = {login: people.actor_by_login(store, login) for login in actors}
    type_id = types_.add_type(store, actors["analyst"], workspace, "Mooring slip")
    for given in (
        plan_fields.FieldInput(name="Member", data_type="text", printed_names=["Paid by"]),
        plan_fields.FieldInput(name="Paid on", data_type="date", printed_names=["Date"]),
        plan_fields.FieldInput(name="Amount", data_type="money", printed_names=["Total"]),
    ):
        plan_fields.add_field(store, actors["analyst"], type_id, given)
    set_checking(store, actors["analyst"], type_id, CheckSettings(on=False))  # where a test asks for it only
    return Office(store, store.settings, actors, type_id, workspace)


def train_office(office: Office) -> None:
    """Ten labelled slips of two layouts, and a version trained from them and live."""
    brought = [(office.bring(slip, layout=n % 2), slip) for n, slip in enumerate(slips(10))]
    run_queue(office.store)
    for document, slip in brought:
        office.label_whole(document, slip)
    version = training.start(office.store, office.analyst, office.type_id)
    run_queue(office.store)
    assert versions.version_view(office.store, version).error is None
    versions.publish(office.store, office.analyst, version)


def run_queue(store: Store, *queues: Queue, curves: bool = False) -> None:
    """Run everything on some queues (all, when none is named) with a real worker, until they are empty. Learning curves
    cost half as much again as the training: only who asks for them gets them."""
    from jugum.work.tasks import Tasks, make_app

    class Plain(Tasks):
        def _curve(self, version_id: int) -> None:
            if curves:
                super()._curve(version_id)

    async def work() -> None:
        app = make_app(store, Plain(store))
        async with app.open_async():
            await app.run_worker_async(
                queues=list(queues) or None, wait=False, install_signal_handlers=False, listen_notify=False
            )

    # In a thread of its own: the browser's tests keep an event loop running in this one.
    with ThreadPoolExecutor(1) as thread:
        thread.submit(lambda: asyncio.run(work())).result()


def add_crew_lists(office: Office, run_jobs: Callable[[], None]) -> int:
    """A second type with five papers, beside five of the first, and what tells them apart learned; its id."""
    second = types_.add_type(office.store, office.analyst, office.workspace_id, "Crew list")
    for number, slip in enumerate(slips(5)):
        office.bring(slip, layout=number % 2)
        data = words_pdf(
            "Crew list of the vessel Havsula",
            f"Skipper {slip.member}",
            "Mate and deck hands on board",
            f"Voyage {number}",
            "Signed on in the home port",
        )
        documents.receive(office.store, office.analyst, second, f"crew-{number}.pdf", data, purpose="sample")
    run_jobs()
    return second
