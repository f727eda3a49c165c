"""Signatures found by where papers of their layout are signed."""

from __future__ import annotations

import pytest

from jugum.core.classification import layout_of
from jugum.core.extraction.candidates.samples import Sample, SampleLabel
from jugum.core.extraction.decided import PartDecision
from jugum.core.extraction.parts import PartPaper, PartReader, fit_parts, parts_of
from jugum.core.extraction.pen_places import PenPlaces, fit_pen_places
from jugum.core.ocr.rules import Ruling
from jugum.core.page import Box, Page, Word, reading_order
from jugum.core.schema import FieldPlan, Plan
from jugum.core.structure import Structure
from jugum.core.training.verdicts import verdict_on
from jugum.core.values import DataType

TENANT = FieldPlan("tenant", "Tenant's hand", DataType.SIGNATURE)
OWNER = FieldPlan("owner", "Owner's hand", DataType.SIGNATURE)
PLAN = Plan((TENANT, OWNER))
LEFT, RIGHT = Box(0.1, 0.8, 0.3, 0.84), Box(0.6, 0.8, 0.8, 0.84)
LINES = ("Terms of hire", "The machine is let", "by the week", "Given and taken", "in good order", "on the quay")


def paper(
    *inks: Box,
    lines: tuple[str, ...] = LINES,
    more: tuple[tuple[float, float, str], ...] = (),
    strokes: tuple[Box, ...] = (),
    stamps: tuple[Box, ...] = (),
) -> PartPaper:
    words = []
    for x, y, text in [*((0.1, 0.1 + 0.05 * n, text) for n, text in enumerate(lines)), *more]:
        at = x
        for part in text.split():
            words.append(Word(part, Box(at, y, at + 0.01 * len(part), y + 0.014)))
            at += 0.01 * len(part) + 0.006
    pages = [Page(1, 595, 842, reading_order(words))]
    layers = Structure((), Ruling((), ()), (), (), (), inks, (), (), strokes=strokes, stamps=stamps)
    return PartPaper.of(parts_of(PLAN), pages, [layers])


def labelled(made: PartPaper, **places: Box | None) -> Sample:
    labels = {key: (SampleLabel("", "yes", 1, box),) if box else () for key, box in places.items()}
    return Sample(f"{places}", tuple(made.pages), labels)


def taught() -> PartReader:
    papers = [paper(LEFT, RIGHT), paper(LEFT), paper(RIGHT)]
    samples = [
        labelled(papers[0], tenant=LEFT, owner=RIGHT),
        labelled(papers[1], tenant=LEFT, owner=None),
        labelled(papers[2], tenant=None, owner=RIGHT),
    ]
    return fit_parts(PLAN, samples, papers)


def answers(reader: PartReader, made: PartPaper, likeness: float = 1.0) -> dict[str, str]:
    return {decision.field: decision.found for decision in reader.decide_on(made, likeness)}


@pytest.mark.parametrize(
    ("inks", "tenant", "owner"),
    [((LEFT, RIGHT), "yes", "yes"), ((LEFT,), "yes", "no"), ((RIGHT,), "no", "yes"), ((), "no", "no")],
)
def test_without_a_printed_name_the_place_says_whose_hand_it_is(inks: tuple[Box, ...], tenant: str, owner: str) -> None:
    assert answers(taught(), paper(*inks)) == {"tenant": tenant, "owner": owner}


def test_a_plain_stroke_is_a_signature_where_papers_are_signed_and_nowhere_else() -> None:
    assert answers(taught(), paper(strokes=(LEFT,))) == {"tenant": "yes", "owner": "no"}
    elsewhere = paper(strokes=(LEFT,), lines=("Quite another paper", "with nothing of the other"))
    assert answers(taught(), elsewhere, likeness=0.1) == {"tenant": "", "owner": ""}


def test_a_pen_may_go_a_little_its_own_way_but_not_to_another_part_of_the_page() -> None:
    aside = Box(LEFT.x0 + 0.03, LEFT.y0 + 0.02, LEFT.x1 + 0.03, LEFT.y1 + 0.02)
    assert answers(taught(), paper(aside))["tenant"] == "yes"
    assert answers(taught(), paper(Box(0.1, 0.3, 0.3, 0.34)))["tenant"] == "no"


def test_a_field_whose_labels_are_stamps_is_a_stamp() -> None:
    """The owner's field is stamped, the tenant's signed; each is told by its own kind of ink."""
    papers = [paper(LEFT, stamps=(RIGHT,)), paper(LEFT, stamps=(RIGHT,)), paper()]
    samples = [
        labelled(papers[0], tenant=LEFT, owner=RIGHT),
        labelled(papers[1], tenant=LEFT, owner=RIGHT),
        labelled(papers[2], tenant=None, owner=None),
    ]
    reader = fit_parts(PLAN, samples, papers)
    assert answers(reader, paper(LEFT, stamps=(RIGHT,))) == {"tenant": "yes", "owner": "yes"}
    assert answers(reader, paper(LEFT, RIGHT)) == {"tenant": "yes", "owner": "no"}  # signed where a stamp is due
    assert answers(reader, paper(stamps=(LEFT, RIGHT))) == {"tenant": "no", "owner": "yes"}
    assert reader.pens is not None
    back = PenPlaces.from_data(reader.pens.to_data())
    assert [back.is_stamp(key) for key in ("tenant", "owner")] == [False, True]


def test_on_another_layout_any_stamp_is_the_stamp() -> None:
    papers = [paper(stamps=(RIGHT,)), paper(stamps=(RIGHT,))]
    reader = fit_parts(PLAN, [labelled(one, owner=RIGHT) for one in papers], papers)
    lines = ("Quite another paper", "with nothing of the other")
    stamped, not_stamped = paper(lines=lines, stamps=(LEFT,)), paper(LEFT, lines=lines)
    assert answers(reader, stamped, likeness=0.1)["owner"] == "yes"
    assert answers(reader, not_stamped, likeness=0.1)["owner"] == ""


def test_a_signature_under_a_stamp_is_no_stamp() -> None:
    papers = [paper(strokes=(LEFT,), stamps=(Box(0.15, 0.78, 0.25, 0.86),)) for _ in range(2)]
    reader = fit_parts(PLAN, [labelled(one, tenant=LEFT) for one in papers], papers)
    assert reader.pens is not None
    assert not reader.pens.is_stamp("tenant")
    assert answers(reader, paper(LEFT))["tenant"] == "yes"


def test_a_layout_whose_labelled_papers_are_not_signed_knows_no_place() -> None:
    """Another layout's place says nothing of it, though that one is the most alike of those that are signed."""
    papers = [paper(LEFT), paper()]
    samples = [labelled(papers[0], tenant=LEFT), labelled(papers[1], tenant=None)]
    places = fit_pen_places(PLAN, samples, [one.layout for one in papers], [0, 1])
    assert places is not None
    made = paper(LEFT)
    assert places.read(TENANT, made.layout, made.pages, made.inks, 1.0, 1) is None
    known = places.read(TENANT, made.layout, made.pages, made.inks, 1.0, 0)
    assert known is not None
    assert known.values[0].normal == "yes"


def test_on_a_layout_that_is_not_known_places_say_nothing() -> None:
    made = paper(LEFT, lines=("Quite another paper", "with nothing of the other"))
    assert answers(taught(), made, likeness=0.1)["owner"] == "yes"  # any ink, since no name stands there
    assert taught().pens is not None
    assert taught().pens.read(TENANT, made.layout, made.pages, made.inks, 0.1) is None  # type: ignore[union-attr]


def test_ink_by_the_printed_name_is_heard_where_a_table_moved_the_line_down() -> None:
    low = Box(0.12, 0.9, 0.3, 0.94)
    made = paper(low, more=((0.1, 0.95, "Tenant's hand"),))
    decided = {decision.field: decision for decision in taught().decide_on(made, 1.0)}
    assert decided["tenant"].found == "yes"
    at_its_place = {one.field: one for one in taught().decide_on(paper(LEFT), 1.0)}["tenant"]
    assert decided["tenant"].features["logit"] < at_its_place.features["logit"]
    assert decided["owner"].found == "no"


def test_ink_at_the_place_of_another_signature_is_not_taken_by_a_name() -> None:
    made = paper(RIGHT, more=((0.6, 0.86, "Tenant's hand"),))
    assert answers(taught(), made) == {"tenant": "no", "owner": "yes"}


BENEATH = ("Signed at the quay", "by the hirer")


def flowing(at: float, *, ink: bool) -> tuple[PartPaper, Sample]:
    """A paper whose place to sign moves with what stands above: its ink lies over the lines BENEATH."""
    place = Box(0.1, at, 0.3, at + 0.04)
    below = [(0.12, at + 0.05 + 0.02 * n, text) for n, text in enumerate(BENEATH)]
    made = paper(*([place] if ink else []), more=tuple(below))
    return made, labelled(made, tenant=place if ink else None, owner=None)


def test_words_around_say_where_the_place_has_moved_to() -> None:
    shown = [flowing(at, ink=True) for at in (0.5, 0.56, 0.68)]
    reader = fit_parts(PLAN, [sample for _, sample in shown], [made for made, _ in shown], [0, 0, 0])
    for at in (0.45, 0.61, 0.8):
        assert answers(reader, flowing(at, ink=True)[0])["tenant"] == "yes"
        assert answers(reader, flowing(at, ink=False)[0])["tenant"] == "no"
    elsewhere = paper(
        Box(0.1, 0.52, 0.3, 0.56), more=tuple((0.12, 0.85 + 0.02 * n, text) for n, text in enumerate(BENEATH))
    )
    assert answers(reader, elsewhere)["tenant"] == "no"  # ink where others are signed, but not where this one is
    back = PartReader.from_data(reader.plan, reader.to_data(), b"")
    assert answers(back, flowing(0.61, ink=True)[0])["tenant"] == "yes"


def test_places_of_the_papers_own_layout_are_asked_though_another_looks_more_alike() -> None:
    alike = labelled(paper(RIGHT), tenant=RIGHT, owner=None)
    mate = labelled(paper(LEFT, lines=LINES[:2]), tenant=LEFT, owner=None)
    papers = [paper(RIGHT), paper(LEFT, lines=LINES[:2])]
    reader = fit_parts(PLAN, [alike, mate], papers, [0, 1])
    asked = paper(LEFT)
    found = {one.field: one.found for one in reader.decide_on(asked, 1.0, 1)}
    assert found["tenant"] == "yes"
    assert {one.field: one.found for one in reader.decide_on(asked, 1.0, 0)}["tenant"] == "no"


def test_not_signed_and_no_signature_on_the_paper_are_the_same() -> None:
    reader = taught()
    made = paper(RIGHT)
    (decision,) = (one for one in reader.decide_on(made, 1.0) if one.field == "tenant")
    assert isinstance(decision, PartDecision)
    for labels in ((), (SampleLabel("no", "no"),)):
        verdict = verdict_on(PLAN, decision, {"tenant": labels})
        assert verdict is not None
        assert verdict.right
        assert (verdict.counts.found, verdict.counts.there) == (0, 0)
    wrong = verdict_on(PLAN, decision, {"tenant": (SampleLabel("", "yes", 1, LEFT),)})
    assert wrong is not None
    assert not wrong.right
    assert (wrong.counts.right, wrong.counts.there) == (0, 1)


def test_places_are_kept_with_the_version_and_none_without_labels() -> None:
    reader = taught()
    back = PartReader.from_data(reader.plan, reader.to_data(), b"")
    for inks in ((LEFT,), (RIGHT,), ()):
        assert answers(back, paper(*inks)) == answers(reader, paper(*inks))
    unsigned = labelled(paper(), tenant=None, owner=None)
    assert fit_pen_places(PLAN, [unsigned], [layout_of(unsigned.pages)]) is None
