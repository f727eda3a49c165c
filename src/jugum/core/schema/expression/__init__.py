"""One small language for derived fields and checks: parsed by a grammar of our own, worked out without `eval`."""

from jugum.core.schema.expression.evaluate import RECEIVED, Shape, evaluate, shape_of
from jugum.core.schema.expression.functions import (
    EXAMPLES,
    FUNCTIONS,
    Column,
    Context,
    Kind,
    Scalar,
    Value,
    meets_limit,
    nearest_entry,
)
from jugum.core.schema.expression.syntax import ExpressionError, Node, calls_in, names_in, parse, renamed

__all__ = [
    "EXAMPLES",
    "FUNCTIONS",
    "RECEIVED",
    "Column",
    "Context",
    "ExpressionError",
    "Kind",
    "Node",
    "Scalar",
    "Shape",
    "Value",
    "calls_in",
    "evaluate",
    "meets_limit",
    "names_in",
    "nearest_entry",
    "parse",
    "renamed",
    "shape_of",
]
