"""What one sample lets one guess: a field's name from what is printed, its data type from name and values."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

from rapidfuzz import fuzz

from jugum.core.extraction.candidates.around import plain_text
from jugum.core.page import Box
from jugum.core.schema import FieldPlan, Plan, key_from
from jugum.core.values import DataType, normal_form
from jugum.core.values.contact import parse_country
from jugum.core.values.numbers import names_currency
from jugum.core.values.units import is_none_sign

SAME_NAME = 88.0  # per cent: a printed name this like one of the plan's is that one
NAME_LETTERS_MAX = 60  # longer texts are no names of fields
_CLEAN = re.compile(r"^[\W\d_]*(?:\d{1,3}\s+)?|[\s:.·_–-]+$")
_MONEY_WORDS = frozenset(
    "amount total sum pay wage salary price cost fee tax income crowns kr gross net balance rate paid due".split()
)
_NAME_WORDS = frozenset(
    (
        "name surname employee employer customer applicant holder payee driver installer company insured inspector "
        "tester examiner agent officer manager director secretary tenant landlord buyer seller witness doctor patient "
        "pupil student member owner borrower lender guarantor teacher adviser guardian"
    ).split()
)
_ADDRESS_WORDS = frozenset("address residence street dwelling".split())


@dataclass(frozen=True)
class Proposal:
    """A field (with its columns, for a table) that a sample speaks for: where it stands, an example of its value,
    and why."""

    field: FieldPlan
    columns: tuple[FieldPlan, ...]
    page: int
    box: Box
    example: str
    why: str


def clean(text: str) -> str:
    """A printed name as a field's name: `"3 Period begins:"` → `"Period begins"`."""
    plain = re.sub(r"\s+", " ", _CLEAN.sub("", text)).strip()
    return plain[:1].upper() + plain[1:]


def guessed_type(name: str, values: Sequence[str]) -> DataType:
    """The data type that reads all values and fits the printed name best."""
    said = set(plain_text(name).split())
    filled = [value for value in values if value.strip() and not is_none_sign(value)]
    if not filled:  # an empty column tells nothing
        return DataType.TEXT

    def all_are(kind: DataType) -> bool:
        return all(normal_form(value, kind) is not None for value in filled)

    # From the narrowest type to the widest: nearly every value reads as text, few read as mail addresses.
    if all_are(DataType.EMAIL):
        return DataType.EMAIL
    if all_are(DataType.DATE):
        return DataType.DATE
    if all(re.fullmatch(r"(19|20)\d\d", value.strip()) for value in filled):
        return DataType.NUMBER  # a year
    # a bare number reads as per cent too: the sign decides
    if all("%" in value for value in filled) and all_are(DataType.PERCENT):
        return DataType.PERCENT
    # Any number reads as money, and a car's plate, too: cents, a word such as "total", or a currency speaks for it.
    if all_are(DataType.MONEY) and (has_cents(filled) or said & _MONEY_WORDS or all(map(names_currency, filled))):
        return DataType.MONEY
    if said & {"phone", "telephone", "tel", "mobile", "fax"} and all_are(DataType.PHONE):
        return DataType.PHONE
    # what is called a number is a name made of digits
    if all_are(DataType.NUMBER) and not said & {"number", "no", "id", "code", "reference"}:
        return DataType.NUMBER
    if any(any(map(str.isdigit, value)) for value in filled):
        return DataType.ADDRESS if said & _ADDRESS_WORDS else DataType.IDENTIFIER if _is_code(filled) else DataType.TEXT
    if all(parse_country(value) for value in filled) and said & {
        "country",
        "nationality",
        "citizenship",
        "state",
        "land",
    }:
        return DataType.COUNTRY
    return DataType.NAME if said & _NAME_WORDS else DataType.TEXT


def has_cents(values: Sequence[str]) -> bool:
    """Whether all values end in two decimals, perhaps with a currency behind."""
    return all(re.search(r"[.,]\d{2}\s*\D{0,4}$", value) for value in values)


def _is_code(values: Sequence[str]) -> bool:
    """Three digits or more, few words, and hardly any letters but in words with digits."""
    return all(
        sum(map(str.isdigit, value)) >= 3
        and len(value.split()) <= 4
        and sum(len(word) for word in value.split() if word.isalpha()) <= 4
        for value in values
    )


def keyed(plan: Plan, found: Sequence[Proposal]) -> list[Proposal]:
    """Without what the plan has, without a name twice, and with keys that are free."""
    # Printed names are compared, not keys: a plan may call "Net pay" anything it likes.
    names = [plain_text(name) for field in plan.fields for name in field.names_on_paper]
    taken = {field.key for field in plan.fields}
    called = {field.name for field in plan.fields}
    kept: list[Proposal] = []
    for proposal in found:
        if proposal.columns and (proposal.field.name in called or plain_text(proposal.field.name) in names):
            # A table under the heading of a field would otherwise be dropped as that field once more.
            proposal = replace(proposal, field=replace(proposal.field, name=f"{proposal.columns[0].name} table"))
        mine = plain_text(proposal.field.printed_names[0] if proposal.field.printed_names else proposal.field.name)
        if not mine or any(fuzz.ratio(mine, name) >= SAME_NAME for name in names) or proposal.field.name in called:
            continue
        names.append(mine)
        called.add(proposal.field.name)
        key = key_from(proposal.field.name, taken)
        taken.add(key)
        columns: list[FieldPlan] = []
        for column in proposal.columns:
            own = key_from(column.name, {other.key.split(".", 1)[1] for other in columns})
            columns.append(replace(column, key=f"{key}.{own}", inside=key))
        kept.append(replace(proposal, field=replace(proposal.field, key=key), columns=tuple(columns)))
    return kept
