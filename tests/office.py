"""What tests of flow and API share."""

from __future__ import annotations

from dataclasses import dataclass

from jugum.flow import gather, label
from jugum.flow.actor import Actor
from jugum.flow.desk import ValueInput
from jugum.settings import Settings
from jugum.store import Store
from tests.papers import Slip, slip_pdf

PASSWORD = "long enough to pass"


@dataclass
class Office:
    """A store with people and a document type."""

    store: Store
    settings: Settings
    actors: dict[str, Actor]
    type_id: int

    @property
    def analyst(self) -> Actor:
        return self.actors["analyst"]

    @property
    def reviewer(self) -> Actor:
        return self.actors["reviewer"]

    def bring(self, slip: Slip, purpose: str = "sample", layout: int = 0) -> int:
        name = f"slip-{slip.member}-{layout}.pdf".replace(" ", "-")
        return gather.receive(
            self.store, self.analyst, self.type_id, name, slip_pdf(slip, layout), purpose=purpose
        ).document_id

    def label_whole(self, document_id: int, slip: Slip) -> None:
        """Label a slip by the words its values stand on, and finish it."""
        with self.store.session() as session:
            from jugum.flow.desk import page_views

            words = page_views(session, document_id)[0].words
        for key, text in slip.truth.items():
            label.set_label(self.store, self.analyst, document_id, key, [ValueInput(None, 1, span_of(words, text))])
        label.done(self.store, self.analyst, document_id)


def span_of(words: list[list[object]], text: str) -> tuple[int, ...]:
    """Indices of the words that say a text."""
    wanted = text.split()
    for start in range(len(words)):
        if [word[0] for word in words[start : start + len(wanted)]] == wanted:
            return tuple(range(start, start + len(wanted)))
    raise AssertionError(f"{text!r} is not on the page: {[word[0] for word in words]}")
