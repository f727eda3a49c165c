"""What printed names mean: groups of names that papers use for one thing, shipped with the program and added to by an
office.

A name of a field that is in a group brings in the group's other names, at a discount, unless another field of the
plan claims them.
"""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from functools import lru_cache
from importlib import resources

from jugum.core.extraction.candidates.around import plain_text
from jugum.core.schema import FieldPlan, Plan

DISCOUNT = 0.9  # what a synonym counts against a name that the plan says itself
Groups = tuple[frozenset[str], ...]


@lru_cache(maxsize=1)
def shipped_groups() -> Groups:
    """The groups that come with the program, as plain texts."""
    data = resources.files("jugum.core.extraction").joinpath("data", "synonyms.json").read_text("utf-8")
    return tuple(frozenset(plain_text(name) for name in group) for group in json.loads(data))


def known_names(groups: Groups | None = None) -> frozenset[str]:
    """Every name in any group; of the shipped ones when none are given."""
    return _names_in(shipped_groups() if groups is None else groups)


@lru_cache(maxsize=8)
def _names_in(groups: Groups) -> frozenset[str]:
    return frozenset(name for group in groups for name in group)


def groups_from(lines: Sequence[str]) -> Groups:
    """An office's own groups, one a line, names parted by `=`: `"net pay = paid into your account"`."""
    found = [frozenset(plain_text(part) for part in line.split("=") if plain_text(part)) for line in lines]
    return tuple(group for group in found if len(group) > 1)


def meant_names(plan: Plan, groups: Groups | None = None) -> Mapping[str, tuple[tuple[str, float], ...]]:
    """Field key → plain printed names with their weight: the plan's own at 1, their synonyms at DISCOUNT.

    A name that another field has itself, or that two fields would get, is nobody's synonym.
    """
    known = shipped_groups() if groups is None else groups
    own = {field.key: {plain_text(name) for name in field.names_on_paper} - {""} for field in plan.fields}
    wide = {key: _synonyms(names, known) for key, names in own.items()}
    claimed = [name for names in own.values() for name in names]
    found = {}
    for field in plan.fields:
        # A synonym that fits two fields would draw both to one value (decision 0011).
        others = {name for key, names in wide.items() if key != field.key for name in names}
        mine = sorted(wide[field.key] - others - set(claimed))
        found[field.key] = (*((name, 1.0) for name in _in_order(field)), *((name, DISCOUNT) for name in mine))
    return found


def _in_order(field: FieldPlan) -> list[str]:
    return list(dict.fromkeys(plain for name in field.names_on_paper if (plain := plain_text(name))))


def _synonyms(names: set[str], groups: Groups) -> set[str]:
    return {name for group in groups if group & names for name in group} - names
