"""Data types: parse what is printed, bring it to a normal form, compare, format."""

from jugum.core.values.cells import safe_cell
from jugum.core.values.dates import DateOrder, date_order, parse_date
from jugum.core.values.formats import OutputFormat, delivered
from jugum.core.values.identifiers import check_digit_agrees, check_method
from jugum.core.values.kinds import MARKS, NUMERIC, AnyType, DataType, Option, ValueType, as_value_type
from jugum.core.values.numbers import parse_money, parse_number
from jugum.core.values.patterns import compiled, matches
from jugum.core.values.types import normal_form, normal_or_text, same_value, says_none, text_that_says, value_shape
from jugum.core.values.units import UNITS_MAX, USUAL_UNITS

__all__ = [
    "MARKS",
    "NUMERIC",
    "UNITS_MAX",
    "USUAL_UNITS",
    "AnyType",
    "DataType",
    "DateOrder",
    "Option",
    "OutputFormat",
    "ValueType",
    "as_value_type",
    "check_digit_agrees",
    "check_method",
    "compiled",
    "date_order",
    "delivered",
    "matches",
    "normal_form",
    "normal_or_text",
    "parse_date",
    "parse_money",
    "parse_number",
    "safe_cell",
    "same_value",
    "says_none",
    "text_that_says",
    "value_shape",
]
