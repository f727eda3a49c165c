"""Working out an expression's kind before it runs, and its value when it does. A missing value makes what needs it
missing."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal, DivisionByZero, InvalidOperation, Overflow, localcontext
from typing import Any

from rapidfuzz import process

from jugum.core.schema.expression.functions import FUNCTIONS, Context, Kind, Scalar, Value, check_constant, plain
from jugum.core.schema.expression.syntax import Call, Condition, ExpressionError, Literal, Name, Node, Operation
from jugum.errors import InputError

RECEIVED = "received"


@dataclass(frozen=True)
class Shape:
    """What an expression gives: a kind of value, one or many (a table's column, a field that may have many)."""

    kind: Kind
    many: bool = False


def shape_of(tree: Node, known: Mapping[str, Shape]) -> Shape:
    """The shape of an expression over known names (`received` besides). ExpressionError names what doesn't fit and
    where."""
    if isinstance(tree, Literal):
        kind = Kind.TRUTH if isinstance(tree.value, bool) else Kind.TEXT if isinstance(tree.value, str) else Kind.NUMBER
        return Shape(kind)
    if isinstance(tree, Name):
        return _name_shape(tree, known)
    if isinstance(tree, Condition):
        test, first, other = (shape_of(part, known) for part in tree.parts)
        _must_be(test, Kind.TRUTH, tree.parts[0].at, "what stands after “if”")
        # Else the field's kind would depend on the paper, and neither checks nor thresholds could count on it.
        if Kind.ANY not in (first.kind, other.kind) and first.kind is not other.kind:
            raise ExpressionError(f"One branch gives a {first.kind}, the other a {other.kind}", tree.at)
        kind = other.kind if first.kind is Kind.ANY else first.kind
        return Shape(kind, test.many or first.many or other.many)
    return _call_shape(tree, known) if isinstance(tree, Call) else _operation_shape(tree, known)


def _name_shape(tree: Name, known: Mapping[str, Shape]) -> Shape:
    if tree.key == RECEIVED:
        return Shape(Kind.DATE)
    if tree.key in known:
        return known[tree.key]
    # keys are easily mistyped: the message offers the one that was probably meant
    near = process.extractOne(tree.key, list(known), score_cutoff=60)
    hint = f"; is “{near[0]}” meant?" if near else ""
    raise ExpressionError(f"There is no field “{tree.key}”{hint}", tree.at)


def _call_shape(tree: Call, known: Mapping[str, Shape]) -> Shape:
    function = FUNCTIONS.get(tree.function)
    if function is None:
        near = process.extractOne(tree.function, list(FUNCTIONS), score_cutoff=60)
        hint = f"; is “{near[0]}” meant?" if near else ""
        raise ExpressionError(f"There is no function “{tree.function}”{hint}", tree.at)
    least, most = len(function.takes) - function.optional, len(function.takes)
    if len(tree.parts) < least or (len(tree.parts) > most and not function.repeats):
        wanted = f"{least} or more" if function.repeats else f"{least}" if least == most else f"{least} to {most}"
        raise ExpressionError(f"“{tree.function}” takes {wanted} arguments; {len(tree.parts)} were given", tree.at)
    shapes = [shape_of(part, known) for part in tree.parts]
    for place, (part, shape) in enumerate(zip(tree.parts, shapes, strict=True)):
        _must_be(shape, function.takes[min(place, most - 1)], part.at, f"part {place + 1} of “{tree.function}”")
        # Constants are known before any paper: a bad pattern must not wait for one to fail.
        if isinstance(part, Literal):
            try:
                check_constant(tree.function, place, part.value)
            except ExpressionError:
                raise
            except InputError as error:
                raise ExpressionError(str(error), part.at) from error
    gives = shapes[0].kind if function.gives is Kind.ANY else function.gives
    return Shape(gives, not function.whole and any(shape.many for shape in shapes))


def _must_be(shape: Shape, kind: Kind, at: int, what: str) -> None:
    if kind is not Kind.ANY and shape.kind not in (kind, Kind.ANY):
        raise ExpressionError(f"A {kind} is needed as {what}; this is a {shape.kind}", at)


def _operation_shape(tree: Operation, known: Mapping[str, Shape]) -> Shape:
    shapes = [shape_of(part, known) for part in tree.parts]
    many = any(shape.many for shape in shapes)
    kinds = [shape.kind for shape in shapes]
    if tree.sign in ("and", "or", "not"):
        for part, shape in zip(tree.parts, shapes, strict=True):
            _must_be(shape, Kind.TRUTH, part.at, f"part of “{tree.sign}”")
        return Shape(Kind.TRUTH, many)
    if tree.sign in ("=", "≠", "<", "≤", ">", "≥"):
        _comparable(tree, kinds)
        return Shape(Kind.TRUTH, many)
    if tree.sign == "&":
        return Shape(Kind.TEXT, many)
    return Shape(_arithmetic_kind(tree, kinds), many)


def _comparable(tree: Operation, kinds: list[Kind]) -> None:
    a, b = kinds[:2]
    if Kind.ANY not in (a, b) and a is not b:
        raise ExpressionError(f"A {a} can't be compared with a {b}", tree.at)
    if a is Kind.TRUTH and tree.sign not in ("=", "≠"):  # would run, but mean nothing to a person
        raise ExpressionError("Yes and no cannot be compared by size", tree.at)
    if len(kinds) == 3:
        if a not in (Kind.NUMBER, Kind.DATE, Kind.ANY):
            raise ExpressionError("“within” is for numbers and dates (days)", tree.parts[2].at)
        _must_be(Shape(kinds[2]), Kind.NUMBER, tree.parts[2].at, "what follows “within”")


def _arithmetic_kind(tree: Operation, kinds: list[Kind]) -> Kind:
    if len(kinds) == 1:
        _must_be(Shape(kinds[0]), Kind.NUMBER, tree.parts[0].at, "what follows a minus")
        return Kind.NUMBER
    a, b = kinds
    if tree.sign == "−" and a is Kind.DATE and b is Kind.DATE:
        return Kind.NUMBER
    if tree.sign in "+−" and a is Kind.DATE and b in (Kind.NUMBER, Kind.ANY):  # a date and a number of days
        return Kind.DATE
    for part, kind in zip(tree.parts, kinds, strict=True):
        _must_be(Shape(kind), Kind.NUMBER, part.at, f"part of “{tree.sign}”")
    return Kind.NUMBER


def evaluate(tree: Node, values: Mapping[str, Value], context: Context | None = None) -> Value:
    """An expression's value: a scalar, a column (tuple), or None where something it needs is missing, can't be
    divided, or is of a kind that doesn't fit. Arithmetic is decimal, 28
    digits."""
    with localcontext() as arithmetic:
        arithmetic.prec = 28  # Decimal, never float: sums of money must come out to the cent.
        try:
            return _value(tree, values, context or Context())
        except (DivisionByZero, InvalidOperation, Overflow, ZeroDivisionError, OverflowError):
            return None


def _value(tree: Node, values: Mapping[str, Value], context: Context) -> Value:
    if isinstance(tree, Literal):
        return tree.value
    if isinstance(tree, Name):
        return context.received if tree.key == RECEIVED else values.get(tree.key)
    parts = [_value(part, values, context) for part in tree.parts]
    if isinstance(tree, Condition):
        return _by_rows(lambda test, first, other: None if test is None else first if test else other, parts)
    if isinstance(tree, Call):
        function = FUNCTIONS[tree.function]
        if function.whole:  # may count or skip missing values, so they are not cut off before
            whole: Value = _safely(lambda: function.run(context, *parts))
            return whole
        return _by_rows(lambda *given: None if None in given else _safely(lambda: function.run(context, *given)), parts)
    if tree.sign in ("and", "or"):
        # Three-valued: a missing side decides nothing if the other does.
        return _by_rows(_AND if tree.sign == "and" else _OR, parts)
    return _by_rows(lambda *given: None if None in given else _safely(lambda: _OPERATIONS[tree.sign](*given)), parts)


def _safely(work: Callable[[], Any]) -> Any:
    """A value of a kind that doesn't fit gives none: names that are known only when run can't be checked before."""
    try:
        return work()
    except (TypeError, AttributeError, ArithmeticError):
        return None


def _by_rows(work: Callable[..., Scalar], parts: list[Value]) -> Value:
    """Work on single values, or row by row where a part is a column; rows that one column lacks are missing."""
    columns = [part for part in parts if isinstance(part, tuple)]
    if not columns:
        return work(*parts)
    rows = max(map(len, columns))
    return tuple(
        work(*((part[row] if row < len(part) else None) if isinstance(part, tuple) else part for part in parts))
        for row in range(rows)
    )


def _AND(a: Scalar, b: Scalar) -> Scalar:  # noqa: N802 - a truth table
    return False if a is False or b is False else None if a is None or b is None else True


def _OR(a: Scalar, b: Scalar) -> Scalar:  # noqa: N802
    return True if a is True or b is True else None if a is None or b is None else False


def _minus(a: Any, b: Any = None) -> Scalar:
    if b is None:
        return -a  # type: ignore[no-any-return]
    if isinstance(a, date) and isinstance(b, date):
        return Decimal((a - b).days)
    return a - timedelta(days=int(b)) if isinstance(a, date) else a - b


def _plus(a: Any, b: Any) -> Scalar:
    # a date has no time of day: parts of days are cut off
    return a + timedelta(days=int(b)) if isinstance(a, date) else a + b


def _distance(a: Any, b: Any) -> Decimal:
    return Decimal(abs((a - b).days)) if isinstance(a, date) else abs(a - b)


def _equal(a: Any, b: Any, tolerance: Any = None) -> bool:
    return plain(a) == plain(b) if tolerance is None else _distance(a, b) <= tolerance


def _less(a: Any, b: Any, tolerance: Any = None) -> bool:
    return bool(plain(a) < plain(b))  # type: ignore[operator]


def _at_most(a: Any, b: Any, tolerance: Any = None) -> bool:
    return bool(plain(a) <= plain(b)) or (tolerance is not None and _distance(a, b) <= tolerance)  # type: ignore[operator]


def _text(value: Any) -> str:
    return (
        value.isoformat()
        if isinstance(value, date)
        else format(value, "f")
        if isinstance(value, Decimal)
        else str(value)
    )


_OPERATIONS: dict[str, Callable[..., Scalar]] = {
    "not": lambda a: not a,
    "−": _minus,
    "+": _plus,
    "×": lambda a, b: a * b,
    "÷": lambda a, b: a / b,
    "&": lambda a, b: _text(a) + _text(b),
    "=": _equal,
    "≠": lambda a, b, tolerance=None: not _equal(a, b, tolerance),
    "<": _less,
    "≤": _at_most,
    ">": lambda a, b, tolerance=None: _less(b, a),
    "≥": lambda a, b, tolerance=None: _at_most(b, a, tolerance),
}
