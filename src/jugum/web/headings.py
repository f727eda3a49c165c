"""The one sentence at the top of each page: what stands here and what it means, in plain words."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TypeVar

from jugum.core.evaluation.compare import ComparisonVerdict
from jugum.core.evaluation.drift import Drift, DriftCause, DriftFigure
from jugum.core.states import IN_TRAINING, SortingSubject, VersionState
from jugum.core.thresholds import Outcome
from jugum.core.thresholds.checking import CheckRate
from jugum.core.thresholds.periods import Span
from jugum.core.thresholds.promise import Promise, PromiseState
from jugum.core.values.date_styles import DateStyle
from jugum.flow.deliver.results import ResultsView
from jugum.flow.gather.batches import BatchView
from jugum.flow.gather.sources import SourceView
from jugum.flow.label.double_labelling import DoubleLabellingView
from jugum.flow.label.layouts import LayoutView
from jugum.flow.label.pace import LabellingFigures
from jugum.flow.label.past_records import PastRecordsView
from jugum.flow.label.suggestion_service import ServiceView
from jugum.flow.overview.overview import Steps, UrgentStep
from jugum.flow.plan.synonyms import SynonymsView
from jugum.flow.review.grid import GridView
from jugum.flow.review.queue import QueueView
from jugum.flow.review.sweep import SweepView
from jugum.flow.train.versions import Against, TrainView, VersionView
from jugum.flow.weigh.live import LiveView
from jugum.flow.weigh.policies import PolicyView
from jugum.flow.weigh.promise_under import PromiseUnder
from jugum.flow.weigh.sorting_lately import SortedLately
from jugum.flow.weigh.sorting_policies import SortingPolicyView
from jugum.flow.weigh.sorting_view import SortingView
from jugum.flow.weigh.spot_checks import SpotChecksView
from jugum.flow.weigh.trial import TrialView
from jugum.flow.weigh.weighing import WeighView
from jugum.web.figures import article, joined, many, percent, when
from jugum.web.weigh_words import FIELDS, WeighWords


def overview(urgent_steps: Sequence[UrgentStep]) -> str:
    if not urgent_steps:
        return "All papers are read, settled and delivered"
    reason = urgent_steps[0].step.reason
    return f"{urgent_steps[0].type.name}: {reason[0].lower()}{reason[1:]}"


def gathered(now: Steps) -> str:
    """What stands beside the count of papers in the overview's table."""
    aside = f"{now.set_aside} set aside" if now.set_aside else ""
    return joined(("papers", aside, f"{now.reading} being read" if now.reading else ""))


def version_state(now: Steps) -> str:
    if now.training:
        return f"v{now.training} in training"
    return "live" if now.live_version else "none live"


def gather(now: Steps, *, empty: bool) -> str:
    """`empty`: no paper has ever come, or none is listed though all are asked for."""
    if now.reading:
        return f"{many(now.reading, 'paper is', 'papers are')} being read"
    if empty:
        return "No papers have been received yet"
    aside = f"; {now.set_aside} set aside" if now.set_aside else ""
    samples, live_papers = many(now.to_label + now.labelled, "sample"), many(now.live_papers, "live paper")
    return f"{samples} and {live_papers} are here{aside}"


def sources(sources: Sequence[SourceView], batches: Sequence[BatchView]) -> str:
    active = sum(source.active for source in sources)
    running = sum(not batch.paused for batch in batches)
    return (
        f"{many(active, 'source delivers', 'sources deliver')} papers; {many(running, 'batch', 'batches')} in progress"
    )


def plan(fields: int, type_name: str) -> str:
    """Of the fields that stand by themselves; those inside tables are columns."""
    kind = type_name.lower()
    return (
        f"{many(fields, 'field is', 'fields are')} read from each {kind}"
        if fields
        else f"Define the fields of {article(kind)} {kind}"
    )


def label(now: Steps, fields: int) -> str:
    if not fields:
        return "Define the fields in Plan before you label"
    if now.to_label:
        return f"{many(now.to_label, 'sample is', 'samples are')} to label; {now.labelled} done"
    return f"All {now.labelled} samples are labelled" if now.labelled else "No samples have been read yet"


def layouts(layouts: Sequence[LayoutView], waiting: int) -> str:
    if not layouts:
        return "No samples have been read yet"
    samples = many(sum(layout.papers for layout in layouts), "sample")
    groups = many(sum(1 for layout in layouts if layout.papers), "layout")
    rest = f"; {many(waiting, 'paper is', 'papers are')} being grouped" if waiting else ""
    return f"{samples} in {groups}{rest}"


def past_records(view: PastRecordsView) -> str:
    total = sum(view.counts.values())
    if not total:
        return "Import values from past records: they become labels"
    if view.to_choose:
        waiting = view.counts.get("ambiguous", 0)
        return f"{many(waiting, 'value was', 'values were')} found in several places: choose the right one"
    return f"{many(total, 'value')} from past records: every place is chosen"


def double_labelling(view: DoubleLabellingView) -> str:
    if not view.given.papers:
        return "No paper has been given to two people yet"
    if view.disputes:
        return f"Two people gave different answers to {many(len(view.disputes), 'field')}"
    return f"{view.given.finished} of {many(view.given.papers, 'paper')} labelled by both people; they agree everywhere"


def quality(suspects: Sequence[object]) -> str:
    return (
        f"{many(len(suspects), 'label looks', 'labels look')} suspicious" if suspects else "No label looks suspicious"
    )


def pace(figures: LabellingFigures) -> str:
    if figures.pace.an_hour:
        return f"{figures.pace.an_hour:.0f} papers labelled an hour"
    return f"{many(sum(figures.ways.values()), 'label')} so far" if figures.ways else "Nothing has been labelled yet"


def train(view: TrainView) -> str:
    for version in sorted(view.versions, key=lambda version: version.number):
        if version.state in IN_TRAINING:
            return f"Version {version.number} is in training"
    live = next((version.number for version in view.versions if version.state is VersionState.PUBLISHED), None)
    if live:
        new = f"; {many(view.new_since, 'paper was', 'papers were')} labelled or reviewed since the last training"
        return f"Version {live} is live{new if view.new_since else ''}"
    if view.versions:
        return "No version is live yet"
    if view.labelled:
        return f"{many(view.labelled, 'paper is', 'papers are')} labelled; no version is trained yet"
    return "Label some papers, then train"


def compared(number: int, against: Against) -> str:
    """A version beside another one in a sentence or two, with what chance says of it."""
    other, c = f"version {against.number}{' (live)' if against.live else ''}", against.comparison
    if not c.common:
        return f"No value was tested with {other} too, so the two can't be compared."
    figures = (
        f"On the {many(c.common, 'value')} that both were tested on, version {number} has {c.newer_right} right, "
        f"{other} has {c.older_right}: {c.gained} newly right, {c.lost} newly wrong."
    )
    if c.verdict is ComparisonVerdict.OPEN:
        return f"{figures} The difference may be chance ({percent(c.chance)}, McNemar's exact test)."
    chance = f"chance alone gives such a difference in {percent(c.chance, 1)} of cases"
    return f"{figures} Version {number} is {c.verdict}: {chance}."


def report(version: VersionView) -> str:
    figures = version.report
    if figures is None:
        return f"Version {version.number}: {version.state}"
    known = percent(figures.seen_right / figures.seen_total if figures.seen_total else None, 1)
    new = percent(figures.unseen_right / figures.unseen_total, 1) if figures.unseen_total else ""
    rest = f" and {new} on new layouts" if new else ""
    return f"Version {version.number} finds {known} of values on known layouts{rest}"


def synonyms(view: SynonymsView) -> str:
    if view.lines:
        return f"Your office has {many(len(view.lines), 'group')} of synonyms"
    return f"Synonyms: {view.shipped} groups come with the program; your office has none of its own yet"


def weigh(outcome: Outcome, minutes: float) -> str:
    """What passes and what is left to a person."""
    return (
        f"{percent(outcome.passing_share)} of {many(outcome.total, 'value')} pass, {outcome.wrong} of them wrong; "
        f"{_minutes(minutes)} of review per 100 papers"
    )


def _minutes(minutes: float) -> str:
    """Few ones with a decimal: half a minute is not none."""
    return f"{minutes:.0f} min" if minutes >= 10 or not minutes else f"{minutes:.1f} min"


def sorting(outcome: Outcome, minutes: float, words: WeighWords) -> str:
    """The same of papers to be placed, and of bundles to be split."""
    wrongly = f", {percent(outcome.error_share, 1)} of these wrongly" if outcome.passing else ""
    return (
        f"{percent(outcome.passing_share)} of the {words.unit} that come in {words.passes}{wrongly}; "
        f"{_minutes(minutes)} of {words.review} per 100 {words.unit}"
    )


def promise(outcome: Outcome, promised: Promise, words: WeighWords = FIELDS) -> str:
    """How a promise stands, and what would prove it."""
    bound = percent(outcome.error_upper, 1)
    said = f"At most {100 * promised.error_most:g} % wrong among {words.passing}"
    if promised.state is PromiseState.PROVEN:
        return f"{said}: proven (bound {bound})"
    if promised.state is PromiseState.EMPTY:
        nothing = "No value passes" if words is FIELDS else f"All {words.unit} {words.person}"
        return f"{nothing}, so there is nothing to promise"
    if promised.state is PromiseState.BROKEN:
        counted, expected = percent(outcome.error_share, 1), percent(outcome.expected_share, 1)
        return f"{said}: not to be expected ({counted} counted, {expected} expected by the confidences)"
    if promised.more_papers is None:
        return f"{said}: expected, but too close to prove (bound {bound})"
    checked = "more checked paper" if words is FIELDS else f"more {words.decision}"
    more = many(promised.more_papers, checked)
    return f"{said}: expected, not yet proven (bound {bound}; about {more})"


def evidence(view: WeighView) -> str:
    """What the page Weigh stands on."""
    held_out = view.frontier.papers - view.test_papers - view.live_papers
    kinds = [many(held_out, "held-out paper")]
    kinds += [f"{view.test_papers} of the test set"] if view.test_papers else []
    kinds += [f"{view.live_papers} live"] if view.live_papers else []
    state = "live" if view.version_state == VersionState.PUBLISHED else view.version_state
    return f"Evidence: version {view.version} ({state}), {joined(kinds)} of known layouts; bounds are 95 % sure."


def sorting_evidence(view: SortingView, words: WeighWords) -> str:
    """What a page of Weigh stands on that is about types or bundles."""
    if view.subject is SortingSubject.BUNDLES:
        judged = f"{many(view.judged, 'bundle')} made of samples that the judge had not seen"
    else:
        judged = f"{many(view.judged, 'judgement')} of samples that the judge had not seen"
    return f"Evidence: classifier {view.classifier}, {judged}; bounds are 95 % sure."


def sorted_lately(lately: SortedLately, words: WeighWords) -> str:
    """What became of what came in."""
    if not lately.by_program + lately.by_person + lately.waiting:
        return f"In the last {many(lately.weeks, 'week')} no live {words.decision} was judged by the program"
    said = (
        f"In the last {many(lately.weeks, 'week')} the program {words.did} {many(lately.by_program, words.decision)}, "
        f"of which people changed {lately.changed:,}"
    )
    if lately.by_person:
        said += (
            f"; people {words.did} {lately.by_person:,}, of which {lately.as_proposed:,} as the program had proposed"
        )
    waiting = f"{lately.waiting:,} wait" if lately.waiting > 1 else "1 waits"
    return f"{said}; {waiting}" if lately.waiting else said


def sorting_trial(found: TrialView, words: WeighWords) -> str:
    """What thresholds would have done with live papers or bundles."""
    if not found.papers:
        return f"No live {words.decision} was judged by the program yet: there is nothing to try it on"
    said = (
        f"Of the last {many(found.papers, f'live {words.decision}')}: {found.passing_then:,} instead of "
        f"{found.passing_now:,} {words.passes}; {_minutes(found.minutes_then)} of {words.review} instead of "
        f"{_minutes(found.minutes_now)}"
    )
    if found.checked:
        said += f". Of those that newly would, people changed {found.wrong:,} of {found.checked:,} that they looked at"
    return said


def spot_checks(view: SpotChecksView) -> str:
    """How the promise in force is kept by what was checked."""
    if view.policy is None:
        return "No policy is in force: nothing passes, so there is nothing to check"
    if view.suspended:
        return f"Policy {view.policy} is suspended: too much of what passed by it was wrong"
    if not view.papers:
        waiting = f"{many(view.waiting, 'paper waits', 'papers wait')}" if view.waiting else "none waits"
        return f"No paper has been checked by policy {view.policy} yet; {waiting}"
    its = view.all.outcome
    return (
        f"{its.wrong} of {many(its.total, 'value')} that passed {'was' if its.wrong == 1 else 'were'} wrong, on "
        f"{many(view.papers, 'checked paper')}"
    )


def promise_in_life(view: SpotChecksView) -> str:
    """How the promise in force stands by what was checked of what passed."""
    if view.promise is None:
        return "Nothing is promised"
    its, promised = view.all.outcome, view.promise
    said = f"At most {100 * promised.error_most:g} % wrong among what passes"
    if view.winnings and max(won.winnings for won in view.winnings) >= view.alarm:
        return f"{said}: broken"
    if promised.state is PromiseState.PROVEN:
        return f"{said}: proven by life (bound {percent(its.error_upper, 1)})"
    if promised.state is PromiseState.BROKEN and its.error_share > promised.error_most:
        return f"{said}: more was wrong so far, but that may be chance"
    if promised.state is PromiseState.BROKEN:
        return f"{said}: kept so far, though the confidences expect {percent(its.expected_share, 1)}"
    if promised.more_papers is None:
        return f"{said}: kept so far, but too close to prove (bound {percent(its.error_upper, 1)})"
    more = many(promised.more_papers, "more checked paper")
    return f"{said}: kept so far, not yet proven (bound {percent(its.error_upper, 1)}; about {more})"


KEPT = {
    PromiseState.PROVEN: "proven",
    PromiseState.EXPECTED: "expected",
    PromiseState.BROKEN: "not to be expected",
    PromiseState.EMPTY: "nothing passes",
}


def promise_under(found: PromiseUnder) -> str:
    """What becomes of the promise in force when another version is made live."""

    def said(version: int, its: Outcome, promised: Promise) -> str:
        wrong = f"{its.wrong} of them wrong (bound {percent(its.error_upper, 1)})"
        return f"Version {version}: {percent(its.passing_share)} pass, {wrong}; {KEPT[promised.state]}."

    common = f"{many(found.values, 'value')} of {many(found.papers, 'paper')} that both were tested on"
    return (
        f"Policy {found.policy} promises at most {100 * found.promise_now.error_most:g} % wrong. On {common}: "
        f"{said(found.live, found.now, found.promise_now)} {said(found.version, found.then, found.promise_then)} "
        "The policy's spot checks begin anew with another version."
    )


def live(view: LiveView) -> str:
    """How live papers fare."""
    papers = [period for period in view.periods if period.papers]
    if not papers:
        return "No live paper has been drafted yet"
    last = papers[-1]
    span = "this week" if view.span is Span.WEEK else "on the last day"
    through = f"{last.through.count} of {many(last.through.total, 'paper')} went straight through {span}"
    return f"{through}; {many(sum(len(period.papers) for period in papers), 'live paper')} in all"


def drifts(view: LiveView, names: Mapping[str, str]) -> list[str]:
    """What is other now than before, each with its likely cause."""
    return [_drift(change, names) for change in view.drifts]


def _drift(change: Drift, names: Mapping[str, str]) -> str:
    missing = change.figure is DriftFigure.MISSING
    name = f"{names.get(change.key, change.key)} is missing" if missing else change.figure.value
    said = f"{name[0].upper()}{name[1:]}: {percent(change.now)} now, {percent(change.before)} before"
    unknown = change.cause is DriftCause.UNKNOWN
    cause = "the cause is not known" if unknown else f"likely cause: {change.cause.value}"
    return f"{said} ({many(change.papers_now, 'paper')} against {change.papers_before}); {cause}."


def rate_of_checks(rate: CheckRate) -> str:
    """How many papers are checked now, and why."""
    if rate.needed >= 1:
        why = "so few papers pass that all are needed to notice a breach in time"
    elif rate.proven >= 1:
        why = "the promise is proven; so many are needed to notice a breach in time"
    elif rate.proven > 0:
        why = f"on probation, {percent(rate.proven)} of what would prove the promise"
    else:
        why = "on probation"
    return f"{percent(rate.rate)} of passing papers are checked now: {why}"


AnyPolicy = TypeVar("AnyPolicy", PolicyView, SortingPolicyView)


def policy_changes(now: AnyPolicy, before: AnyPolicy | None, names: Mapping[str, str]) -> list[str]:
    """What a policy changed, field by field (type by type), against the one before."""
    if before is None:
        return []

    def said(policy: AnyPolicy, key: str) -> str:
        if key in policy.always_held:
            return "always a person"
        threshold = policy.thresholds.get(key)
        return "no threshold" if threshold is None else f"{100 * threshold:g} %"

    keys = [key for key in names if key in now.thresholds or key in before.thresholds]
    pairs = [(names[key], said(before, key), said(now, key)) for key in keys]
    if isinstance(now, PolicyView) and isinstance(before, PolicyView):
        similarity = [f"{100 * policy.layout_similarity_min:g} %" for policy in (before, now)]
        pairs.append(("Minimum layout similarity", similarity[0], similarity[1]))
    return [f"{name}: {was} → {becomes}" for name, was, becomes in pairs if was != becomes]


def trial(found: TrialView) -> str:
    """What thresholds would have done with live papers."""
    if not found.papers:
        return "No live paper has been drafted yet: there is nothing to try it on"
    papers = many(found.papers, "live paper")
    passing = f"{found.passing_then:,} of {many(found.fields, 'value')} would pass instead of {found.passing_now:,}"
    whole = f"{many(found.whole_then, 'whole paper')} instead of {found.whole_now:,}"
    minutes = f"{_minutes(found.minutes_then)} of review instead of {_minutes(found.minutes_now)}"
    said = f"Of the last {papers}: {passing}, {whole}; {minutes}"
    if found.checked:
        said += (
            f". Of the values that would newly pass, people looked at {found.checked:,} and corrected {found.wrong:,}"
        )
    return said


def review(queue: QueueView, style: DateStyle = DateStyle.WORDS) -> str:
    """What waits, of a queue that may be narrowed."""
    if queue.papers and queue.papers == queue.checks:
        waits = many(queue.papers, "paper that passed waits", "papers that passed wait")
        return f"{waits} to be spot-checked, with {many(queue.held, 'value')}; nothing else waits for a person"
    if not queue.papers:
        if queue.wanted.asked().keys() - {"sort", "after"} == {"reason"}:
            return f"No paper waits for the reason “{queue.wanted.reason}”"
        return "None of the papers that wait is like that" if queue.wanted.narrows else "No paper waits for a person"
    papers = many(queue.papers - queue.checks, "paper waits", "papers wait")
    late = f", {queue.late:,} late" if queue.late else ""
    checks = f"; {many(queue.checks, 'more', 'more')} that passed to be spot-checked" if queue.checks else ""
    fields = many(queue.held - queue.to_check, "field")
    return f"{papers} for a person with {fields}{late}, the oldest since {when(queue.oldest, style)}{checks}"


def deliver(view: ResultsView) -> str:
    checks = f"; {many(view.checks, 'more waits', 'more wait')} for a spot check" if view.checks else ""
    if view.waiting:
        again = f", {many(view.corrections, 'correction', 'corrections')} among them" if view.corrections else ""
        return f"{many(view.waiting, 'paper is', 'papers are')} done and not delivered{again}{checks}"
    if view.checks:
        return f"{many(view.checks, 'paper waits', 'papers wait')} for a spot check before delivery"
    return f"Everything done is delivered: {many(view.total, 'paper')}" if view.total else "No results yet"


def keys(in_use: int) -> str:
    return f"You have {many(in_use, 'API key') if in_use else 'no API key'} in use"


def password_changed(ended: int) -> str:
    """What changing one's password did."""
    said = "Your password is changed."
    return said + (f" {many(ended, 'other sign-in')} ended with it." if ended else "")


def services(services: Sequence[ServiceView]) -> str:
    asking = sum(service.on for service in services)
    if asking:
        return f"{many(asking, 'workspace asks', 'workspaces ask')} a suggestion service"
    return "No suggestion service is in use: papers stay on this machine"


def grid(view: GridView) -> str:
    """Papers to look over."""
    if not view.papers:
        return "No paper is like that" if view.wanted.narrows else "No paper has been read yet"
    held = f", {view.held:,} held" if view.held else ""
    return f"{many(view.papers, 'paper')}{held}"


def sweep(view: SweepView) -> str:
    """What waits of one field over papers."""
    if not view.papers:
        return f"{view.name} waits on no free paper" if view.key else "No field waits to be swept"
    return f"{view.name} of {many(view.papers, 'paper')}"
