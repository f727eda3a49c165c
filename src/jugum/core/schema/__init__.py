"""What a document type asks for: its fields, and checking a document's values against them."""

from jugum.core.schema.checks import HoldReason, Problem, problems_of
from jugum.core.schema.plan import FieldPlan, Plan, key_from

__all__ = ["FieldPlan", "HoldReason", "Plan", "Problem", "key_from", "problems_of"]
