"""Records of fields as signs of calibration: how a field does on papers of one layout."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from jugum.core.calibration import Calibrator
from jugum.core.calibration.records import FieldRecords, Oversights
from jugum.core.classification.layout_book import NEW_LAYOUT
from jugum.core.extraction.candidates.generate import Candidate, candidates_of
from jugum.core.extraction.decided import PartDecision, PartKind
from jugum.core.extraction.found import EngineName, Found
from jugum.core.extraction.values.assignment import Choice, Decision
from jugum.core.page import Box, Page, Word
from jugum.core.values import DataType


def a_candidate() -> Candidate:
    word = Word("4711", Box(0.1, 0.1, 0.2, 0.115), 1.0)
    return next(iter(candidates_of([Page(1, 595, 842, (word,))], {DataType.NUMBER})))


def test_a_field_that_one_layout_prints_badly_is_doubted_there_and_nowhere_else() -> None:
    def decided(field: str, layout: int, logit: float) -> Decision:
        return Decision(field, (), (), -logit, -9, 1.0 if layout >= 0 else 0.0, 1.0, layout=layout)

    rng = np.random.default_rng(5)
    records, right = [], []
    for field in ("name", "date"):
        for layout in range(4):
            for _ in range(6):
                records.append(decided(field, layout, float(rng.normal(2, 0.5))))
                right.append(not (field == "name" and layout == 3))
    calibrator = Calibrator().fit(records, right)

    def sure(field: str, layout: int) -> float:
        return float(calibrator.probabilities([decided(field, layout, 2.0)])[0])

    assert sure("name", 3) < 0.6 < 0.9 < sure("name", 0)
    assert sure("date", 3) > 0.9
    assert sure("name", 3) < sure("name", -1)  # of a new layout nothing is known
    back = Calibrator.from_data(calibrator.to_data(), "value")
    asked = [decided("name", layout, 2.0) for layout in (-1, 0, 3)]
    assert back.probabilities(asked) == pytest.approx(calibrator.probabilities(asked))


def test_a_decision_does_not_see_itself_in_the_record_of_its_layout() -> None:
    """Many layouts of two papers each, right or wrong by lot: the other paper tells nothing."""
    rng = np.random.default_rng(8)
    records = [Decision("name", (), (), -1.0, -9, 1.0, 1.0, layout=n) for n in range(100) for _ in range(2)]
    calibrator = Calibrator().fit(records, (rng.random(len(records)) < 0.5).tolist())
    found = calibrator.probabilities(records)
    assert found.max() - found.min() < 0.15


def strange(field: str, logit: float) -> Decision:
    return Decision(field, (), (), -logit, -9, 0.0, 1.0, layout=NEW_LAYOUT)


def test_a_held_out_layout_counts_once_in_the_record_of_a_field_however_many_papers_it_had() -> None:
    papers = [strange("name", 1.0) for _ in range(20)] + [strange("date", 1.0) for _ in range(20)]
    right, layouts = [True] * 20 + [False] * 20, [n // 10 for n in range(40)]
    by_layout = FieldRecords.of(papers, np.array(right), layouts)
    assert by_layout.counts == {("name", False): (2.0, 2), ("date", False): (0.0, 2)}
    assert FieldRecords.from_data(by_layout.to_data()).counts["name", False] == (2.0, 2)
    by_paper = FieldRecords.of(papers, np.array(right))
    asked = [strange("date", 1.0)]
    assert by_paper.log_odds(asked)[0] < by_layout.log_odds(asked)[0] - 1
    familiar = [replace(one, layout_similarity=1.0, layout=0) for one in papers]
    assert FieldRecords.of(familiar, np.array(right), layouts).counts["name", True] == (20, 20)


def test_what_few_held_out_layouts_show_is_believed_less_of_the_next_one() -> None:
    """Scores told right from wrong on four held-out layouts; on a new one they may tell less."""
    rng = np.random.default_rng(6)
    logits = rng.normal(0, 2, 240)
    records = [strange("name", float(x)) for x in logits] + [
        replace(strange("name", float(x)), layout_similarity=1.0, layout=0) for x in logits
    ]
    right = [bool(x > 0) for x in logits] * 2
    calibrator = Calibrator().fit(records, right, layouts=[n % 4 for n in range(480)])
    low, high = calibrator.probabilities([strange("name", -1.5), strange("name", 1.5)])
    known_low, known_high = calibrator.probabilities(
        [replace(strange("name", x), layout_similarity=1.0, layout=0) for x in (-1.5, 1.5)]
    )
    assert known_low < low < 0.5 < high < known_high
    data = calibrator.to_data()
    again = Calibrator.from_data(data, "value").probabilities(records)
    assert again == pytest.approx(calibrator.probabilities(records), abs=1e-3)
    of_before = {key: its for key, its in data.items() if not key.startswith("strange")}
    one_line = Calibrator.from_data(of_before, "value").probabilities([strange("name", 1.5)])[0]
    assert one_line > high  # a version from before keeps the one line that it was measured with


def test_what_hardly_varied_among_papers_learned_from_casts_no_doubt_on_others() -> None:
    """Words of clean papers are all read surely; that a scan's are read at .93 must not make its values impossible."""
    rng = np.random.default_rng(2)
    records = [replace(found_or_not(True, 0), reading=1 - float(rng.uniform(0, 1e-4))) for _ in range(40)]
    right = [record.reading > 1 - 9e-5 for record in records]
    scan = replace(found_or_not(True, 0), reading=0.93)
    assert Calibrator().fit(records, right).probabilities([scan])[0] > 0.6


def found_or_not(there: bool, layout: int) -> Decision:
    chosen = (Choice(a_candidate(), 3.0),) if there else ()
    return Decision(
        "signed_on", chosen, (), 3.0 if there else -3.0, -9, 1.0 if layout >= 0 else 0.0, 1.0, layout=layout
    )


def test_that_nothing_is_there_has_a_record_of_its_own() -> None:
    """On one layout dates are misread; that there is none is right there all the same, and the other way round."""
    records = [found_or_not(there, layout) for there in (True, False) for layout in range(3) for _ in range(8)]
    right = [one.layout == 0 or (one.layout == 2) == bool(one.chosen) for one in records]
    calibrator = Calibrator().fit(records, right)
    sure = {
        (one.layout, bool(one.chosen)): float(p)
        for one, p in zip(records, calibrator.probabilities(records), strict=True)
    }
    assert sure[1, True] < 0.35 < 0.8 < sure[1, False]
    assert sure[2, False] < 0.35 < 0.8 < sure[2, True]


def test_what_is_overlooked_on_new_layouts_casts_no_doubt_on_known_ones() -> None:
    """On new layouts half of what is said not to be there is; on known ones all of it is not."""
    records = [found_or_not(there, layout) for there in (True, False) for layout in (0, NEW_LAYOUT) for _ in range(30)]
    right = [
        number % 2 == 0 if one.layout == NEW_LAYOUT and not one.chosen else True for number, one in enumerate(records)
    ]
    calibrator = Calibrator().fit(records, right)
    known, new = calibrator.probabilities([found_or_not(False, 0), found_or_not(False, NEW_LAYOUT)])
    assert known > 0.93
    assert 0.35 < new < 0.65


def test_how_sure_it_is_that_nothing_is_there_goes_by_how_papers_of_the_layout_are_and_what_is_overlooked() -> None:
    """Bayes: where all papers bear a value, what was not found was overlooked; where one is often overlooked, it says
    little that it was not found."""
    never, half, always = 3.0, 0.0001, -3.0  # log-odds that a paper of the layout lacks the field
    there = [replace(found_or_not(True, 0), field=field, lacking=always) for field in ("a", "b") for _ in range(30)]
    missed = [replace(found_or_not(False, 0), field="b", lacking=always) for _ in range(10)]
    absent = [replace(found_or_not(False, 0), field=field, lacking=never) for field in ("a", "b") for _ in range(10)]
    records = [*there, *missed, *absent]
    right = np.array([True] * 60 + [False] * 10 + [True] * 20)
    its = Oversights.of(records, right)
    assert its.counts == {("a", 0): (0, 30), ("b", 0): (10, 40)}

    def nothing(field: str, lacking: float) -> float:
        return its.nothing_there(replace(found_or_not(False, 0), field=field, lacking=lacking))

    assert nothing("a", half) > 0.95 > nothing("b", half) > 0.6
    assert nothing("b", always) < 0.25 < 0.97 < nothing("b", never)
    assert its.share(replace(found_or_not(False, 0), field="b")) == pytest.approx(0.25, abs=0.03)

    calibrator = Calibrator().fit(records, right.tolist())
    asked = [replace(found_or_not(False, 0), field="b", lacking=lacking) for lacking in (never, always)]
    sure, unsure = calibrator.probabilities(asked)
    assert unsure < 0.4 < 0.9 < sure
    back = Calibrator.from_data(calibrator.to_data(), "value")
    assert back.probabilities(asked) == pytest.approx([sure, unsure])


def unsigned(field: str, layout: int) -> PartDecision:
    """“Not signed”, of a field on a paper of a layout."""
    no = Found("no", "no", 1, Box(0.1, 0.8, 0.3, 0.84), 1.0, EngineName.MODEL, "")
    features = {"logit": 4.0, "layout_similarity": 1.0, "reading": 1.0, "says_no": 1.0}
    return PartDecision(field, PartKind.MARK, {field: (no,)}, (), features, 1.0, 1.0, layout=layout)


def test_that_a_mark_is_not_there_is_as_sure_as_it_proved_to_be_for_the_field_and_on_the_layout() -> None:
    """A pen is overlooked on one layout alone: no other one, and no other field, is doubted for it as much."""
    records = [unsigned(field, layout) for field in ("owner", "tenant") for layout in range(3) for _ in range(8)]
    right = [not (one.field == "owner" and one.layout == 2) for one in records]
    calibrator = Calibrator().fit(records, right)

    def sure(field: str, layout: int) -> float:
        return float(calibrator.probabilities([unsigned(field, layout)])[0])

    assert sure("owner", 2) < 0.35 < 0.75 < sure("owner", 0) < sure("tenant", 0)
    assert sure("tenant", 0) > 0.9
    assert sure("tenant", 7) > 0.85  # a layout without a record is as the field
    back = Calibrator.from_data(calibrator.to_data(), "mark")
    asked = [unsigned("owner", layout) for layout in (0, 2, 5, NEW_LAYOUT)]
    assert back.probabilities(asked) == pytest.approx(calibrator.probabilities(asked))


def written(by_hand: bool, layout: int = 0) -> Decision:
    """A value of a paper of a layout, sure by its looks, in print or by hand."""
    return replace(found_or_not(True, layout), by_hand=by_hand)


def test_what_was_written_by_hand_is_as_sure_as_that_proved_to_be_whatever_print_is() -> None:
    """A hundred printed values, all right, prove nothing of a pen's; forty right ones of a pen do."""
    calibrator = Calibrator().fit([written(by_hand=False)] * 100, [True] * 100)
    print_, pen = calibrator.probabilities([written(by_hand=False), written(by_hand=True)])
    assert (print_ > 0.97, pen) == (True, 0.5)
    records = [*[written(by_hand=False)] * 100, *[written(by_hand=True)] * 40]
    for wrong, least, most in ((0, 0.95, 0.98), (10, 0.7, 0.8)):
        calibrator = Calibrator().fit(records, [True] * (140 - wrong) + [False] * wrong)
        print_, pen = calibrator.probabilities([written(by_hand=False), written(by_hand=True)])
        assert least < pen < most
        assert pen <= print_
        back = Calibrator.from_data(calibrator.to_data(), "value")
        assert back.probabilities([written(by_hand=True)]) == pytest.approx([pen])


def test_denials_counted_before_fields_were_parted_still_bound_what_is_said() -> None:
    data = Calibrator().fit([unsigned("owner", 0)] * 40, [True] * 40).to_data()
    old = Calibrator.from_data({**data, "denials": [3, 8]}, "mark")
    assert old.probabilities([unsigned("owner", 0), unsigned("owner", NEW_LAYOUT)]) == pytest.approx([0.4, 0.4])


def test_what_papers_of_the_layout_lack_speaks_for_not_there_and_against_a_value() -> None:
    """Half of the decisions are right by lot, but where the layout's other papers agree they mostly are."""

    def decided(there: bool, lacking: float) -> Decision:
        spot = Choice(a_candidate(), 0.5)
        return Decision("note", (spot,) if there else (), (), 0.5, -9, 1.0, 1.0, layout=0, lacking=lacking)

    records, right = [], []
    for there in (True, False):
        for lacking in (-2.0, 2.0):
            for number in range(20):
                records.append(decided(there, lacking))
                right.append((number < 18) == (there == (lacking < 0)))
    calibrator = Calibrator().fit(records, right)
    asked = [decided(there, lacking) for there in (True, False) for lacking in (-2.0, 2.0)]
    present_usual, present_odd, absent_odd, absent_usual = calibrator.probabilities(asked)
    assert present_usual > 0.7 > 0.3 > present_odd
    assert absent_usual > 0.7 > 0.3 > absent_odd
