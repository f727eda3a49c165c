"""Candidates, placing, learning from few papers, honest confidences."""

from __future__ import annotations

from collections.abc import Sequence
from types import SimpleNamespace

import numpy as np
import pytest
from tests.papers import Slip, slip_pdf, slips

from jugum.core.calibration import Calibrator
from jugum.core.classification import LayoutBook, layout_of, layout_similarity
from jugum.core.evaluation.report import judged_tests, report_of
from jugum.core.evaluation.report_model import TestFigures
from jugum.core.extraction.candidates.generate import candidates_of
from jugum.core.extraction.candidates.samples import Sample, SampleLabel
from jugum.core.extraction.values.assignment import Choice, Decision, decide
from jugum.core.extraction.values.corpus import Corpus, Mask
from jugum.core.extraction.values.placing import place_value
from jugum.core.extraction.values.together import Peer, ReadAlone
from jugum.core.formats.version_file import pack_version, unpack_version
from jugum.core.ocr import open_paper
from jugum.core.page import Page, reading_order
from jugum.core.schema import FieldPlan, Plan
from jugum.core.states import RecordState
from jugum.core.training import train_version
from jugum.core.training.holdout import Papers, group_folds, held_out_decisions, paper_folds
from jugum.core.training.verdicts import is_right
from jugum.core.training.version import TrainedVersion
from jugum.core.values import DataType, normal_form
from jugum.errors import InputError

PLAN = Plan(
    (
        FieldPlan("member", "Member", DataType.TEXT, ("Paid by",)),
        FieldPlan("paid_on", "Paid on", DataType.DATE, ("Date",)),
        FieldPlan("amount", "Amount", DataType.MONEY, ("Total",)),
    )
)


def page_of(pdf: bytes) -> Page:
    paper = open_paper(pdf, "slip.pdf")
    layer = paper.text_layer(0)
    assert layer is not None
    width, height = paper.size_pt(0)
    return Page(1, width, height, reading_order(layer.words))


def sample(slip: Slip, layout: int, key: str = "") -> Sample:
    pages = (page_of(slip_pdf(slip, layout)),)
    placed = place_value(PLAN, pages, slip.truth)
    labels = {}
    for field, text in slip.truth.items():
        spot = placed[field].candidate
        normal = normal_form(text, PLAN.field(field).data_type) or text
        labels[field] = (SampleLabel(text, normal, spot.page if spot else None, spot.box if spot else None),)
    return Sample(key or f"{slip.member}-{layout}", pages, labels)


@pytest.fixture(scope="module")
def samples() -> list[Sample]:
    return [sample(slip, number % 2, str(number)) for number, slip in enumerate(slips(14))]


@pytest.fixture(scope="module")
def version(samples: list[Sample]) -> TrainedVersion:
    return train_version(PLAN, samples, seed=3)


def test_held_out_papers_of_a_new_layout_are_read_together_as_live_ones_are(
    samples: list[Sample], monkeypatch: pytest.MonkeyPatch
) -> None:
    corpus = Corpus(PLAN, samples)
    asked: list[tuple[int, int]] = []
    real = Corpus.together

    def together(self: Corpus, alone: ReadAlone, mine: Peer, others: Sequence[Peer], known: Mask) -> list[Decision]:
        asked.append((len(others), int(known.sum())))
        return real(self, alone, mine, others, known)

    monkeypatch.setattr(Corpus, "together", together)
    held_out_decisions(Papers.of(PLAN, samples, corpus), unseen=False)
    assert not asked  # papers of known layouts are read alone
    held_out_decisions(Papers.of(PLAN, samples, corpus), unseen=True)
    assert asked == [(6, 7)] * 14


def test_candidates_hold_each_value_with_the_words_around_it() -> None:
    page = page_of(slip_pdf(Slip("Oddny Strand", "04.05.2026", "1 234,50"), 0))
    found = candidates_of([page], set(DataType))
    amounts = {c.text: c for c in found if c.data_type is DataType.MONEY}
    assert amounts["1 234,50"].normal == "1234.50"
    assert amounts["1 234,50"].contexts[0] == "total"
    assert "234,50" not in amounts  # the last three figures of a thousand
    assert any(c.text == "Oddny Strand" and c.data_type is DataType.TEXT and c.whole_segment for c in found)
    assert {c.text for c in found if c.data_type is DataType.DATE} >= {"04.05.2026", "31.12.2027"}


def test_a_page_without_words_has_no_candidates() -> None:
    assert candidates_of([Page(1, 400, 600, ())], set(DataType)) == []


def test_keyed_values_are_placed_where_their_printed_names_stand() -> None:
    page = page_of(slip_pdf(Slip("Oddny Strand", "04.05.2026", "50,00"), 0))  # the deposit is 50,00 too
    placed = place_value(PLAN, [page], {"amount": "50.00", "member": "Odny Strand", "paid_on": "1999-01-01"})
    assert len(placed["amount"].places) == 2
    assert placed["amount"].candidate is not None
    assert placed["amount"].candidate.contexts[0] == "total"
    assert placed["member"].candidate is not None  # one letter was misread or mistyped
    assert placed["member"].candidate.text == "Oddny Strand"
    assert placed["paid_on"].state is RecordState.NOT_FOUND


def test_same_layout_are_grouped_and_other_layouts_are_strange(samples: list[Sample]) -> None:
    layouts = [layout_of(one.pages) for one in samples]
    for count in (2, 3, len(samples)):  # the first two papers alone are no less different
        assert LayoutBook(layouts[:count]).groups == [number % 2 for number in range(count)]
    assert layout_similarity(layouts[0], layouts[2]) > 0.6 > layout_similarity(layouts[0], layouts[1])
    assert layout_similarity(layouts[0], layout_of([])) == 0


def test_values_on_new_papers_of_known_layouts_are_found(version: TrainedVersion) -> None:
    for number, slip in enumerate(slips(6, start=40)):
        decided = {d.field: d for d, _ in version.decide_with_confidence((page_of(slip_pdf(slip, number % 2)),))}
        assert {key: d.chosen[0].candidate.text for key, d in decided.items()} == slip.truth


def test_figures_are_of_held_out_papers_and_add_up(version: TrainedVersion, samples: list[Sample]) -> None:
    report = report_of(version)
    assert report.papers == len(samples)
    assert report.groups == 2
    assert report.seen_total == report.unseen_total == len(samples) * len(PLAN.fields)
    assert sum(f.seen_right for f in report.fields) == report.seen_right
    assert sum(row.right for row in version.evidence if not row.unseen) == report.seen_right
    assert report.seen_right / report.seen_total > 0.9


def test_a_paper_of_a_layout_of_its_own_tells_nothing_of_known_layouts(samples: list[Sample]) -> None:
    report = report_of(train_version(PLAN, [*samples[::2], samples[1]]))
    count = len(samples[::2])
    assert (report.seen_total, report.unseen_total) == (3 * count, 3 * (count + 1))


def judged(version: TrainedVersion, tests: list[Sample]) -> TestFigures | None:
    return report_of(version, judged_tests(version, tests), len(tests)).test


def test_the_report_says_when_the_test_set_disagrees_more_than_chance(version: TrainedVersion) -> None:
    def labelled(number: int, slip: Slip, amount: str) -> Sample:
        said = {**slip.truth, "amount": amount}
        labels = {
            key: (SampleLabel(text, normal_form(text, PLAN.field(key).value_type) or ""),) for key, text in said.items()
        }
        return Sample(f"test {number}", (page_of(slip_pdf(slip, number % 2)),), labels)

    new = list(enumerate(slips(8, start=60)))
    agreeing = judged(version, [labelled(number, slip, slip.amount) for number, slip in new])
    wrong = judged(version, [labelled(number, slip, "1,11") for number, slip in new])
    assert agreeing is not None
    assert agreeing.known_gap is not None
    assert not agreeing.known_gap.is_wide
    assert agreeing.new_gap is None  # no test is of a new layout
    assert wrong is not None
    assert wrong.known_gap is not None
    assert wrong.known_gap.is_wide
    assert (wrong.known_gap.test.right, wrong.known_gap.test.total) == (16, 24)


def test_training_again_gives_the_same_figures_to_the_last_digit(
    version: TrainedVersion, samples: list[Sample]
) -> None:
    again = train_version(PLAN, samples, seed=3)
    assert report_of(again) == report_of(version)
    assert again.evidence == version.evidence


def test_a_version_file_decides_like_the_version_it_was_made_from(version: TrainedVersion) -> None:
    trained_model, calibrators, manifest = unpack_version(
        pack_version(version.trained_model, version.calibrators, {"seed": 3})
    )
    pages = (page_of(slip_pdf(slips(1, start=77)[0], 1)),)
    before, after = version.trained_model.decide(pages), trained_model.decide(pages)
    assert [d.chosen[0].candidate for d in after] == [d.chosen[0].candidate for d in before]
    assert [d.logit for d in after] == pytest.approx([d.logit for d in before], abs=1e-3)
    assert [d.layout_similarity for d in after] == pytest.approx([d.layout_similarity for d in before], abs=1e-3)
    assert calibrators["value"].probabilities(after) == pytest.approx(
        version.calibrators["value"].probabilities(before), abs=1e-3
    )
    assert manifest["seed"] == 3
    with pytest.raises(InputError, match="no version file"):
        unpack_version(b"rubbish")


def test_strange_layouts_are_told_by_their_familiarity(version: TrainedVersion) -> None:
    known = version.trained_model.decide((page_of(slip_pdf(slips(1, start=60)[0], 0)),))
    strange = version.trained_model.decide((page_of(slip_pdf(slips(1, start=60)[0], 2)),))
    assert known[0].layout_similarity >= version.layout_similarity_min > strange[0].layout_similarity


def test_folds_hold_out_whole_papers_and_whole_groups(samples: list[Sample]) -> None:
    corpus = Corpus(PLAN, samples)
    for folds in (paper_folds(corpus, 0), group_folds(corpus, 0)):
        assert sorted(paper for fold in folds for paper in fold) == list(range(len(samples)))
    for fold in group_folds(corpus, 0):
        inside = set(corpus.groups[fold].tolist())
        outside = set(np.delete(corpus.groups, fold).tolist())
        assert not inside & outside


def test_labels_that_mean_nothing_score_no_better_than_chance_when_held_out(samples: list[Sample]) -> None:
    """A leak would let the model know its own held-out labels: here they can't be learned, only leaked."""
    rng = np.random.default_rng(0)
    shuffled = []
    for sample in samples:
        money = [c for c in candidates_of(sample.pages, {DataType.MONEY}) if c.widest]
        pick = money[int(rng.integers(len(money)))]
        shuffled.append(
            Sample(sample.key, sample.pages, {"amount": (SampleLabel(pick.text, pick.normal, 1, pick.box),)})
        )
    plan = Plan((PLAN.field("amount"),))
    held_out = held_out_decisions(Papers.of(plan, shuffled, Corpus(plan, shuffled)), unseen=False).records
    assert sum(record.right for record in held_out) / len(held_out) < 0.8


def test_a_paper_can_t_see_itself_among_the_examples(samples: list[Sample]) -> None:
    corpus = Corpus(PLAN, samples)
    known = np.ones(len(samples), dtype=bool)
    with_itself = corpus.view(5).features(PLAN.field("member"), known)[1]
    known[5] = False
    without = corpus.view(5).features(PLAN.field("member"), known)[1]
    from jugum.core.extraction.values.features import FEATURES

    joint = FEATURES.index("value_like")
    assert with_itself[:, joint].max() == pytest.approx(1)  # its own value stands among the examples: the planted leak
    assert without[:, joint].max() < 1


def test_no_words_serve_two_fields() -> None:
    page = page_of(slip_pdf(slips(1)[0], 0))
    money = [c for c in candidates_of([page], {DataType.MONEY}) if c.widest]
    plan = Plan((FieldPlan("a", "A", DataType.MONEY), FieldPlan("b", "B", DataType.MONEY)))
    scored = {"a": [Choice(money[0], 3.0), Choice(money[1], 1.0)], "b": [Choice(money[0], 2.0), Choice(money[1], 0.5)]}
    first, second = decide(plan, scored, 1.0)
    assert first.chosen[0].candidate is money[0]
    assert second.chosen[0].candidate is money[1]


def test_unsure_candidates_are_left_as_others_and_many_values_are_all_taken() -> None:
    page = page_of(slip_pdf(slips(1)[0], 0))
    money = [c for c in candidates_of([page], {DataType.MONEY}) if c.widest]
    once = decide(Plan((FieldPlan("a", "A", DataType.MONEY),)), {"a": [Choice(money[0], -2.0)]}, 1.0)[0]
    assert once.absent
    assert once.others[0].candidate is money[0]
    many = decide(
        Plan((FieldPlan("a", "A", DataType.MONEY, many=True),)),
        {"a": [Choice(money[0], 2.0), Choice(money[1], 1.0)]},
        1.0,
    )[0]
    assert len(many.chosen) == 2


def test_right_means_exactly_the_labelled_values_in_any_order() -> None:
    field = FieldPlan("a", "A", DataType.MONEY, many=True)
    page = page_of(slip_pdf(slips(1)[0], 0))
    money = [c for c in candidates_of([page], {DataType.MONEY}) if c.widest][:2]
    decision = Decision("a", tuple(Choice(c, 1.0) for c in money), (), 1.0, -9, 1.0, 1.0)
    labels = [SampleLabel(c.text, c.normal) for c in reversed(money)]
    assert is_right(decision, labels, field)
    assert not is_right(decision, labels[:1], field)
    assert is_right(Decision("a", (), (), -3, -9, 1, 1), [], field)


def test_too_few_labels_are_refused_with_the_number_needed(samples: list[Sample]) -> None:
    with pytest.raises(InputError, match="at least 3"):
        train_version(PLAN, samples[:2])
    with pytest.raises(InputError, match="has no fields"):
        train_version(Plan(()), samples)


def test_a_field_that_no_sample_has_is_decided_absent(samples: list[Sample]) -> None:
    plan = Plan((*PLAN.fields, FieldPlan("rebate", "Rebate", DataType.MONEY, required=False)))
    with_absent = [Sample(one.key, one.pages, {**one.labels, "rebate": ()}) for one in samples[:6]]
    version = train_version(plan, with_absent)
    decided = {d.field: d for d in version.trained_model.decide((page_of(slip_pdf(slips(1, start=50)[0], 0)),))}
    assert decided["rebate"].absent
    assert not decided["amount"].absent


def test_a_few_right_decisions_give_no_certainty() -> None:
    sure = [Decision("a", (), (), -4.0 - n / 10, -9, 1.0, 1.0) for n in range(10)]
    calibrator = Calibrator().fit(sure, [True] * 10)
    assert calibrator.probabilities(sure).max() <= 11 / 12
    with pytest.raises(ValueError, match="at least one"):
        Calibrator().fit([], [])


def test_calibrated_confidence_rises_with_the_score() -> None:
    rng = np.random.default_rng(1)
    logits = rng.normal(0, 2, 400)
    decisions = [Decision("a", (), (), -float(x), -9, 0.8, 1.0) for x in logits]
    right = [bool(u < 1 / (1 + np.exp(-x))) for u, x in zip(rng.random(400), logits, strict=True)]
    calibrator = Calibrator().fit(decisions, right)
    grid = [Decision("a", (), (), -float(x), -9, 0.8, 1.0) for x in (-3, -1, 0, 1, 3)]
    assert calibrator.probabilities(grid) == pytest.approx(1 / (1 + np.exp(-np.array([-3, -1, 0, 1, 3]))), abs=0.12)


@pytest.mark.parametrize("seed", range(12))
def test_papers_of_layouts_that_come_turn_by_turn_are_spread_over_the_folds_where_no_groups_were_found(
    seed: int,
) -> None:
    """Each paper a group of its own, five layouts in turn: no fold may hold out one whole layout."""
    corpus = SimpleNamespace(samples=range(25), groups=np.arange(25))
    folds = paper_folds(corpus, seed)  # type: ignore[arg-type]
    assert sorted(paper for fold in folds for paper in fold) == list(range(25))
    assert all(len({paper % 5 for paper in fold}) > 1 for fold in folds)
