"""Learning at its edges: one label, nothing anywhere, equal values, one layout, thirty layouts, contradictions, sixty
fields, a leak that is planted."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from tests.core.extraction.printed import printed
from tests.core.training.test_few_papers import PLAN, page_of, sample
from tests.papers import slip_pdf, slips

from jugum.core.calibration import Calibrator, confidences
from jugum.core.classification import layout_of
from jugum.core.evaluation.curve import learning_curve
from jugum.core.evaluation.report import report_of
from jugum.core.evaluation.report_model import CurvePoint
from jugum.core.extraction.candidates.samples import Sample, SampleLabel
from jugum.core.extraction.clauses.model import ClauseModel, units_of
from jugum.core.extraction.decided import PartDecision, PartKind
from jugum.core.extraction.found import EngineName, Finding, Found
from jugum.core.extraction.parts import inside_of, mark_decision, part_right
from jugum.core.extraction.tables.by_heads import Lines, read_table, table_decision
from jugum.core.extraction.tables.cells import cells_of
from jugum.core.extraction.tables.learned_heads import with_learned_heads
from jugum.core.extraction.values.assignment import Choice, Decision, absence_logit
from jugum.core.extraction.values.corpus import Corpus, Floats, Mask
from jugum.core.extraction.values.relations import Relations, Sum, learned_relations, optimise_jointly
from jugum.core.extraction.values.same_layout import suggest_from_same_layout
from jugum.core.extraction.values.second_opinion import agrees, fit_tagger, tagged
from jugum.core.page import Box, Page, Word, reading_order
from jugum.core.schema import FieldKind, FieldPlan, Plan
from jugum.core.training import train_version
from jugum.core.training.holdout import Papers, held_out_decisions, judge_fold
from jugum.core.training.version import papers_of, with_learned_names
from jugum.core.values import DataType
from jugum.errors import InputError


@pytest.fixture(scope="module")
def samples() -> list[Sample]:
    return [sample(slip, number % 2, str(number)) for number, slip in enumerate(slips(8))]


GROUPS = {str(number): number % 2 for number in range(8)}


def test_one_labelled_paper_already_reads_its_same_layout(samples: list[Sample]) -> None:
    with pytest.raises(InputError, match="1 labelled paper is there"):
        train_version(PLAN, samples[:1])
    slip = slips(1, start=50)[0]
    found = {
        one.field: one.chosen[0].candidate.text
        for one in suggest_from_same_layout(PLAN, samples[:1], (page_of(slip_pdf(slip, 0)),))
        if one.chosen
    }
    assert found == slip.truth


def test_a_field_that_is_everywhere_absent_is_learned_as_absent(samples: list[Sample]) -> None:
    plan = Plan((*PLAN.fields, FieldPlan("rebate", "Rebate", DataType.MONEY, required=False)))
    without = [Sample(one.key, one.pages, {**one.labels, "rebate": ()}) for one in samples]
    figures = {field.field: field for field in report_of(train_version(plan, without, groups=GROUPS)).fields}
    assert (figures["rebate"].labels, figures["rebate"].absent) == (0, 8)
    assert figures["rebate"].seen_right == 8


def test_two_fields_with_equal_values_on_every_paper_each_find_their_own_place() -> None:
    def paper(number: int) -> Sample:
        amount = f"{100 + number},00"
        words = [
            Word(text, Box(x, y, x + 0.09, y + 0.015), 1.0)
            for y, line in ((0.2, ("Ordered", amount)), (0.3, ("Delivered", amount)), (0.4, ("Pallets", str(number))))
            for x, text in zip((0.1, 0.5), line, strict=True)
        ]
        labels = {
            key: (SampleLabel(amount, f"{100 + number}.00", 1, Box(0.5, y, 0.59, y + 0.015)),)
            for key, y in (("ordered", 0.2), ("delivered", 0.3))
        }
        return Sample(str(number), (Page(1, 595, 842, reading_order(words)),), labels)

    plan = Plan((FieldPlan("ordered", "Ordered", DataType.MONEY), FieldPlan("delivered", "Delivered", DataType.MONEY)))
    version = train_version(plan, [paper(number) for number in range(6)])
    decided = {
        one.field: one.chosen[0].candidate.box.y0
        for one in version.trained_model.decide(paper(33).pages)
        if isinstance(one, Decision)
    }
    assert decided == {"ordered": pytest.approx(0.2), "delivered": pytest.approx(0.3)}


def test_all_papers_of_one_layout_give_no_figure_for_layouts_not_seen(samples: list[Sample]) -> None:
    report = report_of(train_version(PLAN, samples, groups=dict.fromkeys(GROUPS, 0)))
    assert report.unseen_total == 0
    assert report.unseen is None
    assert report.seen_total == 24


def test_one_paper_of_each_of_many_layouts_is_judged_as_strange(samples: list[Sample]) -> None:
    report = report_of(train_version(PLAN, samples, groups={str(number): number for number in range(8)}))
    assert report.groups == 8
    assert report.layout_similarity_min == 0.6  # nothing shows what familiar means
    assert report.unseen_total == 24


def test_contradictory_labels_lower_confidence_and_show_as_errors(samples: list[Sample]) -> None:
    wrong = [
        Sample(one.key, one.pages, {**one.labels, "amount": (SampleLabel("1,00", "1.00"),)}) if number % 2 else one
        for number, one in enumerate(samples)
    ]
    right = train_version(PLAN, samples, groups=dict.fromkeys(GROUPS, 0))
    mixed = train_version(PLAN, wrong, groups=dict.fromkeys(GROUPS, 0))

    def mean(version: object) -> float:
        rows = [row.confidence for row in version.evidence if row.field == "amount"]  # type: ignore[attr-defined]
        return sum(rows) / len(rows)

    assert mean(mixed) < mean(right) - 0.2
    assert sum(error.field == "amount" for error in report_of(mixed).errors) >= 4


def test_a_type_with_sixty_fields_is_learned() -> None:
    fields = [FieldPlan(f"f{n}", f"Line {n} charge", DataType.MONEY, required=False) for n in range(60)]
    rng = np.random.default_rng(5)

    def paper(number: int) -> Sample:
        words, labels = [], {}
        for n in range(60):
            x, y = 0.05 + 0.48 * (n % 2), 0.05 + 0.03 * (n // 2)
            amount = f"{rng.integers(1, 999)},{rng.integers(10, 99)}"
            for at, text in zip((0, 0.06, 0.1, 0.25), ("Line", str(n), "charge", amount), strict=True):
                words.append(Word(text, Box(x + at, y, x + at + 0.008 * len(text), y + 0.012), 1.0))
            labels[f"f{n}"] = (SampleLabel(amount, amount.replace(",", "."), 1, words[-1].box),)
        return Sample(str(number), (Page(1, 595, 842, reading_order(words)),), labels)

    version = train_version(Plan(tuple(fields)), [paper(number) for number in range(4)])
    fresh = paper(9)
    right = [
        one.chosen[0].candidate.normal == fresh.labels[one.field][0].normal
        for one in version.trained_model.decide(fresh.pages)
        if isinstance(one, Decision) and one.chosen
    ]
    assert sum(right) >= 57


# ---- Leaks -----------------------------------------------------------------------------------------------------------


def _meaningless(count: int) -> list[Sample]:
    """Papers whose amount is one of several alike amounts, by lot, each at a height of its own: what can't be
    learned, only leaked."""
    rng = np.random.default_rng(0)
    found = []
    for number in range(count):
        y = 0.04 + 0.9 * number / count
        amounts = [f"{rng.integers(100, 999)},{n}5" for n in range(5)]
        words = [Word(text, Box(0.1 + 0.15 * n, y, 0.19 + 0.15 * n, y + 0.012), 1.0) for n, text in enumerate(amounts)]
        pick = words[int(rng.integers(5))]
        words += [
            Word(text, Box(0.1, 0.97, 0.3, 0.98), 1.0) for text in ("Harbour", "office", "receipt")
        ]  # all are of one layout
        label = SampleLabel(pick.text, pick.text.replace(",", "."), 1, pick.box)
        found.append(Sample(str(number), (Page(1, 595, 842, reading_order(words)),), {"amount": (label,)}))
    return found


class _Leaking(Corpus):
    """A pipeline with a leak: a paper's own labels are among the examples when its rows are made."""

    def field_rows(
        self, paper: int, field: FieldPlan, known: Mask, rng: np.random.Generator, most: tuple[int, int] = (14, 8)
    ) -> tuple[Floats, Mask]:
        known = known.copy()
        known[paper] = True
        return super().field_rows(paper, field, known, rng, most)


def test_a_planted_leak_makes_the_figures_jump_and_the_real_pipeline_shows_none() -> None:
    """By lot means one in five. Where a paper's own labels stand among the examples nearly all are "found"; held
    out, about as many as by chance."""
    plan = Plan((PLAN.field("amount"),))
    given = _meaningless(24)
    groups, everyone = [0] * len(given), list(range(len(given)))
    honest = held_out_decisions(Papers.of(plan, given, Corpus(plan, given, groups=groups)), unseen=False)
    leaking = judge_fold(
        Papers.of(plan, given, _Leaking(plan, given, groups=groups)), everyone, everyone, 0, unseen=False, seed=0
    )
    share = [sum(one.right for one in its) / len(its) for its in (honest.records, leaking.records)]
    assert share[1] > 0.9
    assert share[0] < 0.55


def test_a_table_s_heads_and_a_clause_s_words_are_of_other_papers_when_held_out() -> None:
    """Each paper's table bears a head of its own and each clause words of its own: nothing can be known of them from
    the others."""
    plan = _table_plan()
    given = [_table_paper(number, head=f"Zq{chr(97 + number) * 3}") for number in range(6)]
    papers = Papers.of(plan, given, Corpus(plan.learned, given, groups=[0] * 6))
    judged = [record for record in held_out_decisions(papers, unseen=False).records if record.decision.field == "goods"]
    assert len(judged) == 6
    heads = [(one.decision.absent or one.decision.features["by_cells"] == 1) for one in judged]
    assert all(heads)  # by what their cells hold at most
    leaking = judge_fold(papers, [0], [0, 1, 2, 3, 4, 5], 0, unseen=False, seed=0)
    leaked = [record for record in leaking.records if record.decision.field == "goods"]
    assert [(one.right, one.decision.features["by_cells"]) for one in leaked] == [(True, 0)]


# ---- Tables and clauses ----------------------------------------------------------------------------------------------


def _table_plan() -> Plan:
    return Plan(
        (
            FieldPlan("total", "Total", DataType.MONEY),
            FieldPlan("goods", "Goods", kind=FieldKind.TABLE),
            FieldPlan("goods.item", "Item", inside="goods"),
            FieldPlan("goods.sum", "Sum", DataType.MONEY, inside="goods"),
        )
    )


def _table_paper(number: int, head: str = "Wares", second: str = "Fee") -> Sample:
    words, rows = [], [("rope", "12,00"), ("oars", f"{20 + number},00"), ("lamp", "7,50")]
    words += [Word(head, Box(0.1, 0.3, 0.18, 0.315), 1.0, True), Word(second, Box(0.5, 0.3, 0.56, 0.315), 1.0, True)]
    labels: dict[str, list[SampleLabel]] = {"goods.item": [], "goods.sum": []}
    for place, (item, amount) in enumerate(rows):
        y = 0.33 + 0.03 * place
        for key, x, text in (("goods.item", 0.1, item), ("goods.sum", 0.5, amount)):
            words.append(Word(text, Box(x, y, x + 0.08, y + 0.015), 1.0))
            normal = text.replace(",", ".") if key == "goods.sum" else text
            labels[key].append(SampleLabel(text, normal, 1, words[-1].box))
    words += [Word("Total", Box(0.1, 0.6, 0.16, 0.615), 1.0), Word("99,00", Box(0.5, 0.6, 0.58, 0.615), 1.0)]
    labels["total"] = [SampleLabel("99,00", "99.00", 1, words[-1].box)]
    return Sample(
        str(number), (Page(1, 595, 842, reading_order(words)),), {key: tuple(its) for key, its in labels.items()}
    )


def test_the_heads_of_labelled_tables_are_learned() -> None:
    plan, paper = _table_plan(), _table_paper(9)
    assert (
        read_table(plan, plan.field("goods"), paper.pages)["goods.sum"].values == ()
    )  # "Wares" and "Fee" say nothing to the plan
    learned = with_learned_heads(plan, [_table_paper(0), _table_paper(1)])
    assert "Wares" in learned.field("goods.item").printed_names
    decision = table_decision(learned, learned.field("goods"), [Lines.of(page) for page in paper.pages], 1.0)
    assert decision.found == "rope | 12.00; oars | 29.00; lamp | 7.50"
    assert part_right(learned, decision, paper.labels)
    counted = cells_of(learned, decision, paper.labels)
    assert (counted.right, counted.found, counted.there, counted.rows_right) == (6, 6, 6, 3)


def test_a_table_with_one_wrong_cell_is_wrong_as_a_whole_and_nearly_right_by_cells() -> None:
    plan = with_learned_heads(_table_plan(), [_table_paper(0)])
    decision = table_decision(plan, plan.field("goods"), [Lines.of(page) for page in _table_paper(3).pages], 1.0)
    labels = dict(_table_paper(3).labels)
    labels["goods.sum"] = (*labels["goods.sum"][:2], SampleLabel("8,50", "8.50"))
    assert not part_right(plan, decision, labels)
    counted = cells_of(plan, decision, labels)
    assert (counted.right, counted.there, counted.rows_right, counted.rows_there) == (5, 6, 2, 3)


def _prose(number: int, wording: str) -> Page:
    parts = (
        ("1. Scope", "The works named below are done with care and on time by us."),
        (f"2. {wording}", f"Either side may end this within {number + 3} weeks by letter."),
        ("3. Law", "The courts of the capital decide what talks do not settle here."),
    )
    words, y = [], 0.1
    for head, body in parts:
        for text, bold in ((head, True), (body, False)):
            x = 0.1
            for text_part in text.split():
                words.append(Word(text_part, Box(x, y, x + 0.008 * len(text_part), y + 0.013), 1.0, bold))
                x += 0.008 * len(text_part) + 0.008
            y += 0.022
        y += 0.02
    return Page(1, 595, 842, reading_order(words))


def test_a_clause_is_learned_by_its_words_whatever_its_heading() -> None:
    plan = Plan(
        (
            FieldPlan("ending", "Ending", kind=FieldKind.CLAUSE),
            FieldPlan("weeks", "Notice", DataType.NUMBER, inside="ending", required=False),
        )
    )
    papers = []
    for number, wording in enumerate(("Ending", "Notice", "Duration", "Ending")):
        units = units_of([_prose(number, wording)])
        unit = next(one for one in units if "Either" in one.section.text)
        (page, box), *_ = unit.boxes
        papers.append((units, {"ending": (SampleLabel(unit.section.text, unit.section.text, page, box),)}))
    model = ClauseModel(plan).fit(papers)
    page = _prose(7, "How we part")  # a heading that no labelled paper has
    (decision,) = model.decide(units_of([page]), 0.5)
    assert "Either side may end" in decision.found
    assert ClauseModel.from_data(plan, model.to_data()).decide(units_of([page]), 0.5)[0].found == decision.found
    inside = inside_of(plan, [decision])["weeks"]
    corpus = Corpus(plan.learned, [Sample("0", (page,), {})])
    assert [candidate.normal for candidate in corpus.prepared(0).candidates if inside(candidate) and candidate.widest][
        -1
    ] == "10"
    assert ClauseModel(plan).decide([], 0.0)[0].absent


# ---- Second opinion, relations, calibration --------------------------------------------------------------------------


def test_a_second_opinion_agrees_where_both_find_the_same(samples: list[Sample]) -> None:
    assert fit_tagger(PLAN, [tagged(PLAN, one) for one in samples[:4]]) is None
    tagger = fit_tagger(PLAN, [tagged(PLAN, one) for one in samples])
    assert tagger is not None
    said = tagger.values(samples[0].pages)
    assert said["amount"] == [samples[0].labels["amount"][0].normal]
    version = train_version(PLAN, samples, groups=GROUPS)
    decision = next(one for one in version.trained_model.decide(samples[0].pages) if one.field == "amount")
    assert isinstance(decision, Decision)
    assert decision.opinion is True
    assert not agrees(decision, {"amount": ["0.01"]}, PLAN.field("amount"))
    assert not agrees(decision, {}, PLAN.field("amount"))


def test_sums_and_orders_are_learned_and_mend_a_close_choice() -> None:
    plan = Plan(tuple(FieldPlan(key, key.title(), DataType.MONEY) for key in ("net", "tax", "gross")))
    labelled = [
        Sample(
            str(n),
            (),
            {
                "net": (SampleLabel("", f"{80 + n}.00"),),
                "tax": (SampleLabel("", f"{20 + n}.00"),),
                "gross": (SampleLabel("", f"{100 + 2 * n}.00"),),
            },
        )
        for n in range(6)
    ]
    relations = learned_relations(plan, labelled)
    assert relations.sums == (Sum(("net", "tax"), "gross", always=True),)
    assert ("tax", "net", 6) in relations.orders
    assert relations.missing == dict.fromkeys(("net", "tax", "gross"), 0.125)  # never missing on six papers: 1 in 8
    assert Relations.from_data(relations.to_data()) == relations
    many = learned_relations(Plan(plan.fields[:1]), labelled[:1] * 20_000)
    assert 0 < many.missing["net"] < 1e-4  # and a price still, however many papers
    assert many.absence_threshold("net", FLOOR) == pytest.approx(-9.9, abs=0.05)
    few = learned_relations(plan, labelled[:4])
    assert few.orders == ()
    assert not any(one.always for one in few.sums)
    assert Relations.from_data({"orders": [["a", "b"]], "sums": []}).orders == (
        ("a", "b", 5),
    )  # as files of before have them
    amounts = ("70,00", "30,00", "100,00", "900,00")
    money = dict(zip(amounts, printed(DataType.MONEY, *amounts), strict=True))

    def decided(field: str, first: str, *others: tuple[str, float]) -> Decision:
        rest = tuple(Choice(money[text], logit) for text, logit in others)
        return Decision(field, (Choice(money[first], 2.0),), rest, 2.0, rest[0].logit if rest else -9, 1.0, 1.0)

    before = [decided("net", "70,00"), decided("tax", "30,00"), decided("gross", "900,00", ("100,00", 1.5))]
    after = {one.field: one.chosen[0].candidate.text for one in optimise_jointly(before, relations, FLOOR)}
    assert after["gross"] == "100,00"
    far = [decided("net", "70,00"), decided("tax", "30,00"), decided("gross", "900,00", ("100,00", -6.0))]
    assert {one.field: one.chosen[0].candidate.text for one in optimise_jointly(far, relations, FLOOR)}[
        "gross"
    ] == "900,00"  # never a clearly likelier one


FLOOR = absence_logit(1.0)


def test_fields_that_want_the_same_words_get_what_is_best_for_both() -> None:
    """One by one, the surest first, "born" would take the day of expiry and leave that field empty."""
    born, ends = printed(DataType.DATE, "13.11.1987", "09.08.2030")
    before = [
        Decision("born", (Choice(ends, 2.4),), (Choice(born, 1.7),), 2.4, 1.7, 0.2, 1.0),
        Decision("expires", (), (Choice(ends, 2.0),), 2.0, 2.0, 0.2, 1.0),
    ]
    after = {
        one.field: [choice.candidate for choice in one.chosen] for one in optimise_jointly(before, Relations(), FLOOR)
    }
    assert after == {"born": [born], "expires": [ends]}


def test_words_go_to_the_field_that_papers_never_lack() -> None:
    born, _ = printed(DataType.DATE, "20.07.2000", "09.08.2030")
    before = [
        Decision("issued", (Choice(born, -0.1),), (), -0.1, -9.0, 0.2, 1.0),
        Decision("born", (), (Choice(born, -0.8),), -0.8, -0.8, 0.2, 1.0),
    ]
    even = optimise_jointly(before, Relations(), FLOOR)
    assert [len(one.chosen) for one in even] == [1, 0]
    told = Relations(missing={"issued": 0.45, "born": 0.03})
    after = {one.field: one for one in optimise_jointly(before, told, FLOOR)}
    assert after["issued"].absent
    assert after["issued"].logit == -0.1  # what would come first is still known
    assert after["born"].chosen[0].candidate == born
    rare = Relations(missing={"issued": 0.45, "born": 0.9})
    assert optimise_jointly(before, rare, FLOOR) == before


def test_two_dates_change_places_when_papers_say_which_comes_first() -> None:
    early, late = printed(DataType.DATE, "13.11.1987", "09.08.2020")
    before = [
        Decision("born", (Choice(late, 1.0),), (Choice(early, 0.6),), 1.0, 0.6, 0.2, 1.0),
        Decision("issued", (Choice(early, 1.0),), (Choice(late, 0.5),), 1.0, 0.5, 0.2, 1.0),
    ]
    assert optimise_jointly(before, Relations(), FLOOR) == before
    after = {
        one.field: one.chosen[0].candidate
        for one in optimise_jointly(before, Relations((("born", "issued", 25),)), FLOOR)
    }
    assert after == {"born": early, "issued": late}
    weak = Relations((("born", "issued", 25),))
    sure = [replace(one, chosen=(replace(one.chosen[0], logit=6.0),), logit=6.0) for one in before]
    assert optimise_jointly(sure, weak, FLOOR) == sure  # never against what is clearly likelier


def test_confidence_never_falls_with_a_surer_score_nor_that_of_what_is_likely_with_a_more_familiar_layout() -> None:
    """Records in which, by chance, familiar layouts were wrong more often: that is no law. What is unlikely is nearer
    to even on a strange layout, of which less is known."""
    rng = np.random.default_rng(3)
    records = [Decision("a", (), (), -float(rng.normal(1, 2)), -9, float(rng.random()), 1.0) for _ in range(60)]
    right = [record.layout_similarity < 0.4 or record.logit < 0 for record in records]
    calibrator = Calibrator().fit(records, right)
    grid = [
        Decision("a", (), (), -logit, -9, familiar, 1.0) for logit in (-3.0, 0.0, 3.0) for familiar in (0.0, 0.5, 1.0)
    ]
    table = calibrator.probabilities(grid).reshape(3, 3)
    likely = table[:, 0] >= 0.5
    assert likely.any()
    assert (np.diff(table, axis=0) >= -1e-9).all()
    assert (np.diff(table[likely], axis=1) >= -1e-9).all()


def test_decisions_of_a_kind_that_nothing_measured_have_no_confidence() -> None:
    mark = PartDecision("signed", PartKind.MARK, {"signed": ()}, (), {}, 1.0, 1.0)
    value = Decision("a", (), (), -2.0, -9, 1.0, 1.0)
    calibrators = {"value": Calibrator().fit([value] * 4, [True] * 4)}
    assert confidences(calibrators, [mark, value])[0] is None
    assert (confidences(calibrators, [mark, value])[1] or 0) > 0.5


def test_marks_are_measured_with_their_engines() -> None:
    plan = Plan((FieldPlan("signed", "Signed", DataType.SIGNATURE, required=False),))
    found = Found("yes", "yes", 1, Box(0, 0, 1, 1), 0.9, EngineName.MARK, "")
    yes = PartDecision("signed", PartKind.MARK, {"signed": (found,)}, (), {"logit": 2.0}, 1.0, 1.0)
    assert part_right(plan, yes, {"signed": (SampleLabel("yes", "yes"),)})
    assert not part_right(plan, yes, {"signed": (SampleLabel("no", "no"),)})
    assert not part_right(plan, yes, {"signed": ()})


@pytest.mark.parametrize(("right", "total"), [(0, 0), (2, 4), (9, 10)])
def test_that_a_mark_is_not_there_is_never_surer_than_it_was_measured(right: int, total: int) -> None:
    plan = FieldPlan("signed", "Signed", DataType.SIGNATURE)

    def decision(value: str) -> PartDecision:
        found = Found(value, value, 1, Box(0, 0, 1, 1), 1.0, EngineName.MARK, "")
        return mark_decision(plan, Finding("signed", (found,)), 1.0)

    signed, unsigned = decision("yes"), decision("no")
    records = [signed] * 40 + [unsigned] * total
    calibrator = Calibrator().fit(records, [True] * 40 + [number < right for number in range(total)])
    for fitted in (calibrator, Calibrator.from_data(calibrator.to_data(), "mark")):
        yes, no = fitted.probabilities([signed, unsigned])
        assert yes > 0.9
        assert no <= (right + 1) / (total + 2) + 1e-9


def test_a_learning_curve_counts_values_on_papers_it_did_not_learn_from(samples: list[Sample]) -> None:
    full = {"": (23, 24), "member": (8, 8), "paid_on": (8, 8), "amount": (7, 8)}
    curve = learning_curve(papers_of(PLAN, samples, groups=GROUPS), full)
    assert [point.papers for point in curve[""].points] == sorted(point.papers for point in curve[""].points)
    assert curve[""].points[-1] == CurvePoint(papers=6, right=23, total=24)
    assert set(curve) == {"", "member", "paid_on", "amount"}


def test_marked_printed_names_are_learned_once_each(samples: list[Sample]) -> None:
    told = [Sample(one.key, one.pages, {"amount": (SampleLabel("1", "1.00", printed="Dues"),)}) for one in samples]
    assert with_learned_names(PLAN, told).field("amount").printed_names == ("Total", "Dues")
    assert layout_of(samples[0].pages).texts
