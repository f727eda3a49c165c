"""Data types: parse what is printed, bring it to a normal form, compare, format."""

from jugum.core.values.dates import parse_date
from jugum.core.values.numbers import parse_money, parse_number
from jugum.core.values.types import DataType, normal_form, same_value, value_shape

__all__ = ["DataType", "normal_form", "parse_date", "parse_money", "parse_number", "same_value", "value_shape"]
