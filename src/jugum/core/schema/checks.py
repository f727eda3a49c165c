"""Checking a paper's values against its plan, working out derived fields, and the reasons why a person must look."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from enum import StrEnum

from jugum.core.schema.expression import Context, Scalar, Value, evaluate, nearest_entry, parse
from jugum.core.schema.expression.syntax import Call, Literal, Name, Node, Operation
from jugum.core.schema.plan import Check, FieldPlan, Plan
from jugum.core.values import NUMERIC, DataType, check_digit_agrees, normal_form
from jugum.core.values.types import plain_number
from jugum.errors import InputError

ROWS_NAMED_MAX = 5  # in a message; more would hide what it says


class HoldReason(StrEnum):
    """Why a field waits for a person."""

    LOW_CONFIDENCE = "low confidence"
    MISSING = "missing"
    FAILS_A_CHECK = "fails a check"
    SPOT_CHECK = "spot check"  # it passed, and was drawn to be checked


@dataclass(frozen=True)
class Problem:
    """What is wrong with a field's values, in words for the person who settles it."""

    field_key: str
    reason: HoldReason
    detail: str


Texts = Mapping[str, Sequence[str | None]]


def problems_of(plan: Plan, values: Texts) -> list[Problem]:
    """Required fields without a value, values that their data type can't read or whose check digit is wrong, and
    several values of a field that has one. `values` maps field keys to texts as they stand on the paper."""
    problems = []
    for field in plan.fields:
        texts = [text for text in values.get(field.key, ()) if text is not None]
        if not texts and field.required and not field.is_column:
            problems.append(Problem(field.key, HoldReason.MISSING, f"{field.name} is required and was not found"))
        problems += [found for text in texts if (found := text_problem(field, text))]
        if len(texts) > 1 and not field.many and not field.is_column:  # which of them is meant is a person's to say
            problems.append(
                Problem(
                    field.key, HoldReason.FAILS_A_CHECK, f"{field.name} has {len(texts)} values; only one is allowed"
                )
            )
    return problems


def text_problem(field: FieldPlan, text: str) -> Problem | None:
    """What is wrong with one text of a field, whatever the other fields say."""
    normal = normal_form(text, field.value_type)
    if normal is None:
        return Problem(field.key, HoldReason.FAILS_A_CHECK, f"“{text}” can't be read as {_an(field.data_type.value)}")
    if field.check_digit and not check_digit_agrees(normal, field.check_digit):
        return Problem(field.key, HoldReason.FAILS_A_CHECK, f"the check digit of “{text}” is wrong")
    return None


def _an(noun: str) -> str:
    return f"{'an' if noun[0] in 'aeiou' else 'a'} {noun}"


class CheckOutcome(StrEnum):
    """What a check says of a paper; open when a value it needs is missing."""

    HOLDS = "holds"
    FAILS = "fails"
    OPEN = "can't be told"  # a value it needs is missing


@dataclass(frozen=True)
class Judgement:
    """What became of a check on a paper. `rows` are the table rows (from 1) it fails on; `nearest` the entry of a
    list that was probably meant; `fields` the keys it concerns."""

    check: Check
    outcome: CheckOutcome
    fields: tuple[str, ...]
    rows: tuple[int, ...] = ()
    nearest: str = ""

    @property
    def said(self) -> str:
        """The check's message, with the rows it fails on and the entry that was probably meant."""
        rows = ""
        if self.rows:
            named = ", ".join(map(str, self.rows[:ROWS_NAMED_MAX]))
            more = f" and {len(self.rows) - ROWS_NAMED_MAX} more" if len(self.rows) > ROWS_NAMED_MAX else ""
            rows = f" (row {named}{more})"
        near = f"; the nearest in the list is “{self.nearest}”" if self.nearest else ""
        return f"{self.check.said}{rows}{near}"


def scope_of(plan: Plan, values: Texts) -> dict[str, Value]:
    """Field texts as values for expressions; what can't be read as its data type is missing. Derived fields are
    worked out by `derive`, not taken from `values`."""
    scope: dict[str, Value] = {}
    for field in plan.fields:
        if field.key not in plan.shapes:
            continue
        read = [
            None if text is None else _typed(normal_form(text, field.value_type), field.data_type)
            for text in values.get(field.key, ())
        ]
        scope[field.key] = tuple(read) if plan.shapes[field.key].many else next(iter(read), None)
    return scope


def _typed(normal: str | None, data_type: DataType) -> Scalar:
    if not normal:  # can't be read, or says that there is none
        return None
    if data_type in NUMERIC:
        return Decimal(normal)
    if data_type is DataType.DATE:
        return date.fromisoformat(normal)
    return normal == "yes" if data_type in (DataType.TICK, DataType.SIGNATURE) else normal


def derive(plan: Plan, values: Texts, context: Context) -> tuple[dict[str, Value], dict[str, tuple[str, ...]]]:
    """The scope with derived fields worked out, and the derived fields' values in normal form (empty: can't be
    told)."""
    scope = scope_of(plan, values)
    derived: dict[str, tuple[str, ...]] = {}
    # in an order in which each finds its sources worked out; the plan refuses circles
    for field in plan.derivation:
        scope[field.key] = value = evaluate(parse(field.expression), scope, context)
        parts = value if isinstance(value, tuple) else (value,)
        derived[field.key] = tuple(written(part, field) for part in parts if part is not None)
    return scope, derived


def written(value: Scalar, field: FieldPlan) -> str:
    """An expression's value as the normal form of a field's data type."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, Decimal):
        plain = plain_number(round(value, 10))  # a third has no end in decimals
        return normal_form(plain, field.value_type) or plain
    if isinstance(value, date):
        return value.isoformat()
    return str(value)


def judge(plan: Plan, values: Texts, context: Context) -> list[Judgement]:
    """What becomes of each check of a plan on a paper's texts. A check over columns holds when no row fails and one
    holds."""
    scope, _ = derive(plan, values, context)
    return [judged(check, scope, context) for check in plan.checks]


def judged(check: Check, scope: Mapping[str, Value], context: Context) -> Judgement:
    """One check over a scope (names of other papers' fields, `type:field`, may be in it)."""
    tree = parse(check.expression)
    try:
        value = evaluate(tree, scope, context)
    except InputError:  # what can't be worked out on this paper can't tell, and must not stop it
        value = None
    rows: tuple[int, ...] = ()
    if isinstance(value, tuple):
        rows = tuple(number for number, part in enumerate(value, 1) if part is False)
        told = [part for part in value if part is not None]
        value = all(told) if told else None  # rows that lack a value say nothing against the others
    outcome = CheckOutcome.OPEN if value is None else CheckOutcome.HOLDS if value is True else CheckOutcome.FAILS
    nearest = _nearest_meant(tree, scope, context) if outcome is CheckOutcome.FAILS else ""
    return Judgement(check, outcome, tuple(name for name in check.names if name in scope), rows, nearest)


def _nearest_meant(tree: Node, scope: Mapping[str, Value], context: Context) -> str:
    """For `listed(field, "list")`: the entry most like the field's value."""
    waiting: list[Node] = [tree]
    while waiting:
        node = waiting.pop()
        if isinstance(node, Call) and node.function == "listed" and isinstance(node.parts[0], Name):
            value, name = scope.get(node.parts[0].key), node.parts[1]
            if isinstance(value, str) and isinstance(name, Literal):
                return nearest_entry(value, context.lists.get(str(name.value), ())) or ""
        if not isinstance(node, Name | Literal):
            waiting += node.parts
    return ""


@dataclass(frozen=True)
class CheckChoice:
    """Another candidate that a failing check took: the field, the place among its other candidates, and the check."""

    field: str
    other: int
    check: Check


def choose(plan: Plan, values: Texts, others: Mapping[str, Sequence[str]], context: Context) -> CheckChoice | None:
    """A failing check as evidence: the first of the other candidates (best first) of the fields it concerns that
    makes it true without making another check fail. Only one field is changed, only fields with one value, and only
    by checks that may choose. None where nothing fits, or where two fields could be blamed equally."""
    before = judge(plan, values, context)
    held = {judgement.check.key for judgement in before if judgement.outcome is CheckOutcome.HOLDS}
    for failing in before:
        if failing.outcome is not CheckOutcome.FAILS or not failing.check.may_choose:
            continue
        found = _mending(plan, values, others, context, failing, held)
        # Equally likely changes in two fields: the check can't say which is wrong.
        best = min((choice.other for choice in found), default=0)
        first = [choice for choice in found if choice.other == best]
        if len(first) == 1:
            return first[0]
    return None


def mending(
    plan: Plan, values: Texts, others: Mapping[str, Sequence[str]], context: Context
) -> dict[str, list[CheckChoice]]:
    """For each failing check, by its key, every candidate that would make it true and no other check false, of one
    field at a time: what a person might change."""
    before = judge(plan, values, context)
    held = {judgement.check.key for judgement in before if judgement.outcome is CheckOutcome.HOLDS}
    return {
        failing.check.key: _mending(plan, values, others, context, failing, held)
        for failing in before
        if failing.outcome is CheckOutcome.FAILS
    }


def _mending(
    plan: Plan,
    values: Texts,
    others: Mapping[str, Sequence[str]],
    context: Context,
    failing: Judgement,
    held: Collection[str],
) -> list[CheckChoice]:
    return [
        CheckChoice(key, place, failing.check)
        for key in sources_of(plan, failing.fields)
        for place, text in enumerate(others.get(key, ()))
        if _mends(plan, {**values, key: (text,)}, failing.check, held, context)
    ]


def needed(plan: Plan, values: Texts, check: Check, context: Context) -> dict[str, str]:
    """What a field would have to be, in its normal form, for a check to hold that says that it is equal to something:
    by its key. Empty where the check says something else, or can't be worked out."""
    scope, _ = derive(plan, values, context)
    tree, fields = parse(check.expression), {field.key: field for field in plan.fields}
    found: dict[str, str] = {}
    if not isinstance(tree, Operation) or tree.sign != "=":
        return found
    one, other = tree.parts[:2]
    for side, value_of in ((one, other), (other, one)):
        if isinstance(side, Name) and (field := fields.get(side.key)) and not plan.shapes[field.key].many:
            with suppress(InputError):
                value = evaluate(value_of, scope, context)
                if value is not None and not isinstance(value, tuple):
                    found[field.key] = written(value, field)
    return found


def _mends(plan: Plan, values: Texts, check: Check, held: Collection[str], context: Context) -> bool:
    after = {judgement.check.key: judgement.outcome for judgement in judge(plan, values, context)}
    # "Can't be told" is no harm done; a check that fails now is.
    return after[check.key] is CheckOutcome.HOLDS and all(after[key] is not CheckOutcome.FAILS for key in held)


def sources_of(plan: Plan, keys: Sequence[str]) -> list[str]:
    """Fields that are read from the paper among some keys, and those that derived ones among them are made from."""
    derived = {field.key: field for field in plan.derivation}
    found: dict[str, None] = {}
    waiting = list(keys)
    while waiting:
        key = waiting.pop(0)
        if key in derived:
            waiting += Check("source", derived[key].expression).names
        else:
            found[key] = None
    return list(found)
