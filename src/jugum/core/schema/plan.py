"""Plans: the fields to read from a type of document."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Collection
from dataclasses import dataclass

from jugum.core.values import DataType
from jugum.errors import InputError

NAME_MAX = 80
PRINTED_NAMES_MAX = 30


@dataclass(frozen=True)
class FieldPlan:
    """One thing to read. `key` names it in files and the API, `name` on screens, `printed_names` are what stands
    beside it on papers; `many` fields may have several values on one paper."""

    key: str
    name: str
    data_type: DataType
    printed_names: tuple[str, ...] = ()
    required: bool = True
    many: bool = False

    def __post_init__(self) -> None:
        if not self.name.strip():
            raise InputError("A field needs a name.")
        if len(self.name) > NAME_MAX:
            raise InputError(
                f"The name “{self.name[:30]}…” has {len(self.name)} letters; at most {NAME_MAX} are taken."
            )
        if not re.fullmatch(r"[a-z][a-z0-9_]*", self.key):
            raise InputError(
                f"The key “{self.key}” may only hold small letters a–z, digits and _, and begins with a letter."
            )
        if len(self.printed_names) > PRINTED_NAMES_MAX:
            raise InputError(
                f"“{self.name}” has {len(self.printed_names)} printed names; at most {PRINTED_NAMES_MAX} are taken."
            )

    @property
    def names_on_paper(self) -> tuple[str, ...]:
        """Printed names, and the field's own name, which is often one of them."""
        return tuple(dict.fromkeys([*self.printed_names, self.name]))


@dataclass(frozen=True)
class Plan:
    """The fields of a document type, in the order a person wants them."""

    fields: tuple[FieldPlan, ...]

    def __post_init__(self) -> None:
        keys = [field.key for field in self.fields]
        twice = {key for key in keys if keys.count(key) > 1}
        if twice:
            raise InputError(f"Two fields have the key “{min(twice)}”.")

    def field(self, key: str) -> FieldPlan:
        for field in self.fields:
            if field.key == key:
                return field
        raise InputError(f"The plan has no field “{key}”; it has {', '.join(field.key for field in self.fields)}.")


def key_from(name: str, taken: Collection[str] = ()) -> str:
    """A key made from a name and not among `taken`: `"Net pay (kr)"` → `"net_pay_kr"`, then `"net_pay_kr_2"`."""
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode().lower()
    key = re.sub(r"[^a-z0-9]+", "_", plain).strip("_") or "field"
    key = key if key[0].isalpha() else f"f_{key}"
    if key not in taken:
        return key
    number = 2
    while f"{key}_{number}" in taken:
        number += 1
    return f"{key}_{number}"
