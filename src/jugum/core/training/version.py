"""Training a version: a model and its calibrators from labelled samples, with the held-out decisions that everything
told of it rests on."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from jugum.core.calibration import Calibrators, confidences
from jugum.core.extraction.candidates.samples import Sample
from jugum.core.extraction.candidates.synonyms import Groups
from jugum.core.extraction.decided import part_kind
from jugum.core.extraction.learned_marks import printed_choices, with_learned_captions
from jugum.core.extraction.model import AnyDecision, Peers, TrainedModel, fit_trained_model
from jugum.core.extraction.values.corpus import Corpus
from jugum.core.extraction.values.extractor import PAPERS_MIN
from jugum.core.page import Page
from jugum.core.schema import Plan
from jugum.core.schema.plan import PRINTED_NAMES_MAX
from jugum.core.structure import Structures
from jugum.core.training.confidence import EvidenceRow, calibrators_of, cross_fitted, evidence_of
from jugum.core.training.gate import least_layout_similarity
from jugum.core.training.holdout import HeldOutDecisions, Papers, held_out_decisions
from jugum.core.training.stages import Progress, Stage
from jugum.errors import InputError, NothingToLearn


@dataclass(frozen=True)
class TrainedVersion:
    """A model with its calibrators, the layout gate, and what its held-out decisions showed: `evidence` has a row
    for each of `seen`, then for each of `unseen`. `papers` are what it was trained from."""

    trained_model: TrainedModel
    calibrators: Calibrators
    layout_similarity_min: float
    papers: Papers
    seen: HeldOutDecisions
    unseen: HeldOutDecisions
    evidence: tuple[EvidenceRow, ...]

    @property
    def groups(self) -> tuple[int, ...]:
        """The layout group of each paper it was trained from."""
        return tuple(map(int, self.papers.corpus.groups))

    def decide_with_confidence(
        self, pages: Sequence[Page], structures: Structures | None = None, peers: Peers | None = None
    ) -> list[tuple[AnyDecision, float | None]]:
        """Decisions on a paper with the confidence (0–1) of each; None where nothing was measured. `peers` is asked
        for other papers of its layout where that is new."""
        return confident_decisions(self.trained_model, self.calibrators, pages, structures, peers)


def confident_decisions(
    trained_model: TrainedModel,
    calibrators: Calibrators,
    pages: Sequence[Page],
    structures: Structures | None = None,
    peers: Peers | None = None,
) -> list[tuple[AnyDecision, float | None]]:
    """A version's decisions on a paper, each with its calibrated confidence (0–1; None where nothing was measured)."""
    decisions = trained_model.decide(pages, structures, peers)
    return list(zip(decisions, confidences(calibrators, decisions), strict=True))


def train_version(
    plan: Plan,
    samples: Sequence[Sample],
    *,
    groups: Mapping[str, int] | None = None,
    seed: int = 0,
    progress: Progress = lambda stage, share: None,
    structures: Mapping[str, Structures] | None = None,
    synonyms: Groups | None = None,
) -> TrainedVersion:
    """Train from labelled samples; `groups` are their layout groups by sample key (found here when not given),
    `structures` the layers of their pages where the plan has marks, `synonyms` an office's groups of printed names
    beside the shipped ones. Printed names that labellers marked are learned as the fields' own.

    Raises InputError when there are fewer than three papers with a label or the plan has nothing to read,
    NothingToLearn when the labels tell nothing apart. `progress` is told the stage and the share (0–1) of it that is
    done.
    """
    papers = papers_of(plan, samples, groups=groups, structures=structures, synonyms=synonyms, progress=progress)
    corpus = papers.corpus

    def held_out(unseen: bool, stage: Stage) -> HeldOutDecisions:
        progress(stage, 0.0)
        return held_out_decisions(papers, unseen=unseen, seed=seed, progress=lambda share: progress(stage, share))

    seen = held_out(False, Stage.HELD_OUT_PAPERS)
    unseen = held_out(True, Stage.HELD_OUT_LAYOUTS)
    records = [*seen.records, *unseen.records]  # both kinds teach the calibrators
    if not records:
        raise NothingToLearn(_nothing_said(seen, unseen))
    progress(Stage.FITTING, 0.0)
    # The version itself learns from all papers, the folds from fewer: what they show is rather too low than too high.
    trained_model = fit_trained_model(papers.plan, papers.samples, corpus, papers.parts, seed=seed)
    # cross-fitted: a calibrator that saw a decision would flatter it
    layouts = [int(group) for group in corpus.groups]
    evidence = tuple(evidence_of(papers, records, cross_fitted(records, layouts)))
    calibrators = calibrators_of(records, layouts)
    return TrainedVersion(trained_model, calibrators, least_layout_similarity(corpus), papers, seen, unseen, evidence)


def _nothing_said(*held_out: HeldOutDecisions) -> str:
    reasons = list(dict.fromkeys(fold.reason for its in held_out for fold in its.left_out))
    why = f" ({'; '.join(reasons)})" if reasons else ""
    return (
        f"Nothing can be learned from these labels: every field is on every paper or on none{why}. Label papers that "
        "differ."
    )


def papers_of(
    plan: Plan,
    samples: Sequence[Sample],
    *,
    groups: Mapping[str, int] | None = None,
    structures: Mapping[str, Structures] | None = None,
    synonyms: Groups | None = None,
    progress: Progress = lambda stage, share: None,
) -> Papers:
    """Samples made ready to learn from and to be judged; see `train_version`."""
    plan = with_learned_captions(with_learned_names(plan, samples), samples, structures or {})
    ranked = plan.only(
        {field.key for field in plan.fields if field.learned} | printed_choices(plan, samples, structures or {})
    )
    learned = {field.key for field in ranked.fields}
    read = learned | {field.key for field in plan.fields if part_kind(field) or field.is_column}
    if not read:
        raise InputError("The plan has no fields. Define the fields in Plan first.")
    # labels of fields that were taken out of the plan stay in the store and teach nothing here
    usable = [replace(s, labels={k: v for k, v in s.labels.items() if k in read}) for s in samples]
    usable = [sample for sample in usable if sample.labels]
    if len(usable) < PAPERS_MIN or not any(any(sample.labels.values()) for sample in usable):
        raise InputError(
            f"{len(usable)} labelled paper{'s are' if len(usable) != 1 else ' is'} there; training needs at least "
            f"{PAPERS_MIN} with values. Label more in Label."
        )
    layouts = [groups[sample.key] for sample in usable] if groups is not None else None
    # clauses, tables and marks are learned apart
    values = [replace(sample, labels={k: v for k, v in sample.labels.items() if k in learned}) for sample in usable]
    corpus = Corpus(
        ranked,
        values,
        groups=layouts,
        synonyms=synonyms,
        progress=lambda share: progress(Stage.COMPARING, 0.9 * share),
    )
    papers = Papers.of(plan, usable, corpus, structures)
    progress(Stage.COMPARING, 1.0)
    return papers


def with_learned_names(plan: Plan, samples: Sequence[Sample]) -> Plan:
    """The plan with the printed names that labellers marked beside values, those of the plan first."""
    marked: dict[str, list[str]] = {}
    for sample in samples:
        for key, its in sample.labels.items():
            marked.setdefault(key, []).extend(label.printed for label in its if label.printed)
    fields = []
    for field in plan.fields:
        # A person's own names first, since the list is cut.
        names = tuple(dict.fromkeys([*field.printed_names, *marked.get(field.key, [])]))[:PRINTED_NAMES_MAX]
        fields.append(replace(field, printed_names=names))
    return replace(plan, fields=tuple(fields))


__all__ = [
    "TrainedVersion",
    "confident_decisions",
    "papers_of",
    "train_version",
    "with_learned_names",
]
