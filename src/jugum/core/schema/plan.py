"""Plans: what to read from a type of document, as a person says it."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace
from dataclasses import field as kept
from enum import StrEnum
from functools import cached_property

from jugum.core.schema.expression import ExpressionError, Kind, Shape, calls_in, names_in, parse, shape_of
from jugum.core.values import (
    MARKS,
    NUMERIC,
    UNITS_MAX,
    DataType,
    Option,
    OutputFormat,
    ValueType,
    check_method,
    compiled,
)
from jugum.errors import InputError

NAME_MAX = 80  # what a row and a note have room for
PRINTED_NAMES_MAX = 30  # each is compared with every text of a page
TEXT_MAX = 600  # letters of notes, questions and messages
LIST_FUNCTIONS = frozenset({"listed", "nearest"})  # those that look in a list of the workspace
FIELDS_MAX = 400  # no paper has more; training is linear in it
OPTIONS_MAX = 60  # a longer list is a text that is checked against a list
RULES_MAX = 10  # more are a sign that labels should teach it
CHECKS_MAX = 200  # all run after each change on the desk
_KEY = re.compile(r"[a-z][a-z0-9_]*(?:\.[a-z][a-z0-9_]*)?")


class FieldKind(StrEnum):
    """How a field comes by its value: read from words or marks; a table of columns; a paragraph or numbered section;
    worked out from other fields."""

    VALUE = "value"
    TABLE = "table"
    CLAUSE = "clause"
    DERIVED = "derived"


class Where(StrEnum):
    """Where a value stands to the words of a rule."""

    RIGHT = "right of"
    LEFT = "left of"
    BELOW = "below"
    ABOVE = "above"
    BETWEEN = "between"


@dataclass(frozen=True)
class ReadingRule:
    """A rule that finds values without training: a pattern over lines of text (its first group is the value, if it has
    one), or an anchor: what stands to the right of, left of, below, above some words, or between them and `until`."""

    pattern: str = ""
    where: Where | None = None
    words: str = ""
    until: str = ""

    def __post_init__(self) -> None:
        # a rule of both kinds would leave open which of them counts
        if bool(self.pattern) == (self.where is not None):
            raise InputError("A rule is either a pattern or an anchor.")
        if self.pattern:
            compiled(self.pattern)
        elif not self.words.strip() or (self.where is Where.BETWEEN and not self.until.strip()):
            raise InputError("An anchor needs the words beside it; “between” needs two.")

    @property
    def said(self) -> str:
        """The rule in words: `pattern \\d+`, `right of “Net pay”`."""
        if self.pattern:
            return f"pattern {self.pattern}"
        second = f" and “{self.until}”" if self.where is Where.BETWEEN else ""
        return f"{self.where} “{self.words}”{second}"


class Totals(StrEnum):
    """What a table's line of totals is: no row of it and its end, a row to leave out, or a row like others."""

    END = "ends the table"
    SKIP = "is left out"
    KEEP = "is a row"


@dataclass(frozen=True)
class FieldPlan:
    """One thing to read. `key` names it in files and the API, `name` on screens, `printed_names` are what stands
    beside it on papers; `many` fields may have several values on one paper. `inside` is the key of the table it is a
    column of, or of the clause it stands in. `personal` values are masked for who may not see them. `units` of a number
    are those it may stand with, and no other; none: any usual one."""

    key: str
    name: str
    data_type: DataType = DataType.TEXT
    printed_names: tuple[str, ...] = ()
    required: bool = True
    many: bool = False
    kind: FieldKind = FieldKind.VALUE
    inside: str = ""
    heading: str = ""
    note: str = ""
    question: str = ""
    personal: bool = False
    month_first: bool | None = None
    pivot: int = 50
    pattern: str = ""
    check_digit: str = ""
    region: str = ""
    options: tuple[Option, ...] = ()
    units: tuple[str, ...] = ()
    output: OutputFormat = kept(default_factory=OutputFormat)
    rules: tuple[ReadingRule, ...] = ()
    expression: str = ""
    totals: Totals = Totals.END

    def __post_init__(self) -> None:
        self._check_names()
        if self.kind is FieldKind.DERIVED:
            parse(self.expression)
        elif self.expression:
            raise InputError(f"“{self.name}” is read from the paper, so it has no expression. Make it a derived field.")
        # one option is a tick box
        if self.data_type is DataType.CHOICE and len(self.options) < 2 and self.kind is FieldKind.VALUE:
            raise InputError(f"“{self.name}” is a choice; give it at least two options.")
        if len({option.key for option in self.options}) < len(self.options):
            raise InputError(f"Two options of “{self.name}” have the same key.")
        wrong = next(
            (unit for unit in self.units if not unit or any(map(str.isdigit, unit[:1])) or len(unit) > 30), None
        )
        if wrong is not None:
            raise InputError(f"“{wrong}” of “{self.name}” is no unit. Write units such as km, nights or m².")
        if self.pattern:
            compiled(self.pattern)
        if self.check_digit:
            check_method(self.check_digit)
        if self.region and not re.fullmatch(r"[A-Z]{2}", self.region):
            raise InputError(f"“{self.region}” is not a country. Write its two letters, such as SE.")
        if not 0 <= self.pivot <= 100:
            raise InputError(f"The pivot of two-digit years is {self.pivot}; it must be between 0 and 100.")

    def _check_names(self) -> None:
        if not self.name.strip():
            raise InputError("A field needs a name.")
        if len(self.name) > NAME_MAX:
            raise InputError(
                f"The name “{self.name[:30]}…” has {len(self.name)} letters; at most {NAME_MAX} are taken."
            )
        if not _KEY.fullmatch(self.key):
            raise InputError(
                f"The key “{self.key}” may only hold small letters a–z, digits and _, and begins with a letter."
            )
        for what, count, most in (
            ("printed names", len(self.printed_names), PRINTED_NAMES_MAX),
            ("options", len(self.options), OPTIONS_MAX),
            ("units", len(self.units), UNITS_MAX),
            ("rules", len(self.rules), RULES_MAX),
            ("letters in its note", len(self.note), TEXT_MAX),
            ("letters in its question", len(self.question), TEXT_MAX),
        ):
            if count > most:
                raise InputError(f"“{self.name}” has {count} {what}; at most {most} are taken.")

    @property
    def names_on_paper(self) -> tuple[str, ...]:
        """Printed names, and the field's own name, which is often one of them."""
        # in this order: what papers print goes before what the office says
        return tuple(dict.fromkeys([*self.printed_names, self.name]))

    @cached_property
    def value_type(self) -> ValueType:
        """The data type with all that narrows it down (options and patterns count only where the data type knows
        them)."""
        kind = self.data_type
        return ValueType(
            kind,
            month_first=self.month_first if kind is DataType.DATE else None,
            pivot=self.pivot if kind is DataType.DATE else 50,
            pattern=self.pattern if kind is DataType.IDENTIFIER else "",
            region=self.region if kind is DataType.PHONE else "",
            options=self.options if kind is DataType.CHOICE else (),
            units=self.units if kind is DataType.NUMBER else (),
            any_unit=kind is DataType.NUMBER and self.is_column and not self.units,
        )

    @property
    def is_column(self) -> bool:
        """Whether it is a column of a table: its key is `table.column`."""
        return "." in self.key

    @property
    def learned(self) -> bool:
        """Whether a model learns to find it among runs of words: no tables, clauses, derived fields, marks or
        choices."""
        return (
            self.kind is FieldKind.VALUE
            and not self.is_column
            and self.data_type not in MARKS
            and self.data_type is not DataType.CHOICE
        )

    @property
    def weighed(self) -> bool:
        """Whether its confidence is measured and stands against a threshold of its own: all that is read from the
        paper but a table's single columns, since a table passes as a whole."""
        return self.kind is not FieldKind.DERIVED and not self.is_column


class Severity(StrEnum):
    """A blocking check must hold before a paper is settled; an advisory one a person may let stand."""

    BLOCKING = "blocking"
    ADVISORY = "advisory"


@dataclass(frozen=True)
class Check:
    """A sentence that must be true of a paper. `message` says what is wrong when it is not; `may_choose` lets it
    take another candidate that makes it true."""

    key: str
    expression: str
    message: str = ""
    severity: Severity = Severity.BLOCKING
    may_choose: bool = False

    def __post_init__(self) -> None:
        parse(self.expression)
        if len(self.message) > TEXT_MAX:
            raise InputError(f"A check's message has {len(self.message)} letters; at most {TEXT_MAX} are taken.")

    @property
    def said(self) -> str:
        """What is told when it fails."""
        return self.message or f"{self.expression} does not hold"

    @property
    def names(self) -> list[str]:
        """The keys its expression asks for."""
        return names_in(parse(self.expression))


@dataclass(frozen=True)
class Plan:
    """The fields of a document type in the order a person wants them, and its checks. Making one checks all of it:
    keys, what stands inside what, expressions and their order."""

    fields: tuple[FieldPlan, ...]
    checks: tuple[Check, ...] = ()

    def __post_init__(self) -> None:
        keys = [planned.key for planned in self.fields]
        twice = {key for key in keys if keys.count(key) > 1} if len(set(keys)) < len(keys) else set()
        if twice:
            raise InputError(f"Two fields have the key “{min(twice)}”.")
        if len(keys) > FIELDS_MAX or len(self.checks) > CHECKS_MAX:
            raise InputError(f"A plan has at most {FIELDS_MAX} fields and {CHECKS_MAX} checks.")
        by_key = {planned.key: planned for planned in self.fields}
        for field in self.fields:
            _check_place(field, by_key)
        if len({check.key for check in self.checks}) < len(self.checks):
            raise InputError("Two checks have the same key.")
        self.derivation  # noqa: B018 - a circle is found here
        for check in self.checks:
            _check_shape(f"The check “{check.said}”", check.expression, self.shapes, Kind.TRUTH)

    def field(self, key: str) -> FieldPlan:
        """A field by its key; InputError, which names the keys there are."""
        for field in self.fields:
            if field.key == key:
                return field
        raise InputError(f"The plan has no field “{key}”; it has {', '.join(planned.key for planned in self.fields)}.")

    def inside(self, key: str) -> tuple[FieldPlan, ...]:
        """Columns of a table, or the fields inside a clause."""
        return tuple(field for field in self.fields if field.inside == key)

    @cached_property
    def learned(self) -> Plan:
        """The part of the plan that a model learns; fields inside a clause are taken out of it."""
        return self.only({field.key for field in self.fields if field.learned})

    def only(self, keys: Collection[str]) -> Plan:
        """The part of the plan with these fields alone, taken out of what they stand in."""
        return Plan(tuple(replace(field, inside="") for field in self.fields if field.key in keys))

    @cached_property
    def shapes(self) -> dict[str, Shape]:
        """What each field is to an expression. Tables themselves can't be named, only their columns."""
        return {
            field.key: Shape(kind_of(field.data_type), field.many or field.is_column)
            for field in self.fields
            if field.kind is not FieldKind.TABLE
        }

    @cached_property
    def uses_lists(self) -> bool:
        """Whether a check or a derived field looks in a list of the workspace."""
        texts = [check.expression for check in self.checks] + [field.expression for field in self.derivation]
        return any(calls_in(parse(text)) & LIST_FUNCTIONS for text in texts)

    @cached_property
    def derivation(self) -> tuple[FieldPlan, ...]:
        """Derived fields in an order in which each comes after those it is made from. InputError names a circle, and an
        expression that doesn't give the field's data type."""
        waiting = {planned.key: planned for planned in self.fields if planned.kind is FieldKind.DERIVED}
        needs = {
            key: [name for name in names_in(parse(one.expression)) if name in waiting] for key, one in waiting.items()
        }
        order: list[FieldPlan] = []
        done: set[str] = set()
        while len(done) < len(waiting):
            ready = [key for key in waiting if key not in done and all(name in done for name in needs[key])]
            if not ready:
                raise InputError(f"These fields are calculated from each other in a circle: {_circle(needs, done)}.")
            order += [waiting[key] for key in ready]
            done.update(ready)
        for field in order:
            shape = _check_shape(
                f"The expression of “{field.name}”", field.expression, self.shapes, kind_of(field.data_type)
            )
            if shape.many and not field.many:  # one value out of many must be said, not guessed
                raise InputError(
                    f"The expression of “{field.name}” gives many values, one for each row; take sum(), first() or "
                    "another of the whole column."
                )
        return tuple(order)


def require_usable_rules(field: FieldPlan) -> None:
    """InputError for rules that would do nothing: they find values, no tables, sections or calculated fields."""
    if field.rules and field.kind is not FieldKind.VALUE:
        raise InputError(
            f"“{field.name}” has rules, and these find values only. Give printed names or a question in their place."
        )


def kind_of(data_type: DataType) -> Kind:
    """What values of a data type are to expressions."""
    if data_type in NUMERIC:
        return Kind.NUMBER
    if data_type is DataType.DATE:
        return Kind.DATE
    return Kind.TRUTH if data_type in (DataType.TICK, DataType.SIGNATURE) else Kind.TEXT


def _check_place(one: FieldPlan, by_key: Mapping[str, FieldPlan]) -> None:
    parent = by_key.get(one.inside)
    if one.inside and (parent is None or parent.kind not in (FieldKind.TABLE, FieldKind.CLAUSE)):
        raise InputError(f"“{one.name}” is inside “{one.inside}”, which is neither a table nor a section of the plan.")
    in_table = parent is not None and parent.kind is FieldKind.TABLE
    if in_table != one.is_column or (in_table and not one.key.startswith(f"{one.inside}.")):
        raise InputError(
            f"The key “{one.key}” is not valid: columns have keys such as “table.column”; other fields have no dot."
        )
    if one.inside and one.kind is not FieldKind.VALUE:
        raise InputError(f"“{one.name}” is a {one.kind} and can't stand inside another field.")
    if in_table and one.data_type in MARKS:  # marks are found on pages, not in cells
        raise InputError(f"A column can't hold a {one.data_type}; “{one.name}” needs another data type.")


def _check_shape(what: str, expression: str, shapes: Mapping[str, Shape], kind: Kind) -> Shape:
    try:
        shape = shape_of(parse(expression), shapes)
    except ExpressionError as error:
        raise ExpressionError(f"{what}: {str(error).rsplit(' (at letter', 1)[0]}", error.at) from error
    if Kind.ANY not in (shape.kind, kind) and shape.kind is not kind:
        raise ExpressionError(f"{what} gives a {shape.kind}; a {kind} is needed", 0)
    return shape


def _circle(needs: Mapping[str, list[str]], done: Collection[str]) -> str:
    """`a → b → a`: one circle among what is left."""
    key = next(key for key in needs if key not in done)
    way: list[str] = []
    while key not in way:
        way.append(key)
        key = next(name for name in needs[key] if name not in done)
    return " → ".join([*way[way.index(key) :], key])


def key_from(name: str, taken: Collection[str] = ()) -> str:
    """A key made from a name and not among `taken`: `"Net pay (kr)"` → `"net_pay_kr"`, then `"net_pay_kr_2"`."""
    # "Löneperiod" keeps its letters, without their marks
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode().lower()
    key = re.sub(r"[^a-z0-9]+", "_", plain).strip("_") or "field"
    key = key if key[0].isalpha() else f"f_{key}"  # expressions would read "2nd_driver" as a number
    if key not in taken:
        return key
    number = 2
    while f"{key}_{number}" in taken:
        number += 1
    return f"{key}_{number}"
