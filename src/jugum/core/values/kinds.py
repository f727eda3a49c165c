"""The data types a field can have, and what an analyst may say of one beyond its name."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum

from jugum.core.values.dates import PIVOT


class DataType(StrEnum):
    """What a value is; its parser, normal form and comparison follow from it."""

    TEXT = "text"
    NAME = "name"
    DATE = "date"
    MONEY = "money"
    NUMBER = "number"
    PERCENT = "percent"
    SPELLED = "number in words"
    IDENTIFIER = "identifier"
    PHONE = "phone"
    EMAIL = "e-mail"
    ADDRESS = "address"
    COUNTRY = "country"
    CHOICE = "choice"
    TICK = "tick box"
    SIGNATURE = "signature"
    ZONE = "machine-readable zone"


NUMERIC = frozenset({DataType.MONEY, DataType.NUMBER, DataType.PERCENT, DataType.SPELLED})
# Of these "–" or "n/a" says that there is none.
WITH_NONE_SIGNS = NUMERIC | {DataType.DATE}
# Of these every value has one normal form, however it is printed.
ONE_FORM = WITH_NONE_SIGNS | {DataType.COUNTRY, DataType.CHOICE, DataType.TICK, DataType.SIGNATURE}
# Read from marks and lines of fixed pitch, not from runs of words.
MARKS = frozenset({DataType.TICK, DataType.SIGNATURE, DataType.ZONE})


@dataclass(frozen=True)
class Option:
    """One answer of a choice: the key it is delivered as, and how it is printed (its key too, when nothing is said)."""

    key: str
    printed: tuple[str, ...] = ()

    @property
    def spellings(self) -> tuple[str, ...]:
        """All ways the option may be printed, its key among them."""
        return tuple(dict.fromkeys([*self.printed, self.key]))


@dataclass(frozen=True)
class ValueType:
    """A data type with what narrows it down: the order of day and month (None: as the paper has it) and the pivot of
    two-digit years (dates), the pattern (identifiers; a regular expression over the whole text), the country numbers
    are dialled from (phones; two letters), the options (choices), and the units that may stand behind it (numbers; none
    given: any usual one, and with `any_unit` any short word: a column of figures says by itself that these are
    figures). Two fields with equal value types share their candidates."""

    data_type: DataType
    month_first: bool | None = None
    pivot: int = PIVOT
    pattern: str = ""
    region: str = ""
    options: tuple[Option, ...] = ()
    units: tuple[str, ...] = ()
    any_unit: bool = False

    def on_paper(self, month_first: bool | None) -> ValueType:
        """The same for a paper whose dates in digits are read so: what a person said of the field goes first."""
        if self.data_type is not DataType.DATE or self.month_first is not None or month_first is None:
            return self
        return replace(self, month_first=month_first)


AnyType = ValueType | DataType


def as_value_type(kind: AnyType) -> ValueType:
    """A plain data type is a value type that nothing narrows down."""
    return ValueType(kind) if isinstance(kind, DataType) else kind
