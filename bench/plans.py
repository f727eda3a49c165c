"""What the plan's own engines find without training, what one sample proposes, and how long an edit of a large plan
takes.

Values found right: on papers of the demo's generators, per type, as a share of fields (a table's column counts as
right when all its rows are). Proposed: of the fields with a value on a type's first layout, and over all layouts,
how many have a proposal with their printed name or their value. Edits: milliseconds on the server for a plan of 80
fields and 3 tables, in a throw-away database. Run: python -m bench.plans
"""

from __future__ import annotations

import random
import statistics
import tempfile
import time
from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import Any

from rapidfuzz import fuzz

from jugum.cluster import Cluster
from jugum.core.extraction.untrained.guesses import Proposal
from jugum.core.extraction.untrained.proposals import proposals
from jugum.core.extraction.untrained.reading import read_untrained
from jugum.core.ocr import engine_named, open_paper, reading_picture
from jugum.core.ocr.reading import read_page
from jugum.core.page import Page
from jugum.core.schema import Check, FieldKind, FieldPlan, Plan, plan_file, read_plan_file
from jugum.core.structure import Structure, structure_of
from jugum.core.values import DataType, normal_form, same_value
from jugum.demo.assessments import tax_assessment
from jugum.demo.contracts import contract
from jugum.demo.identity import identity_paper
from jugum.demo.papers import plan_bytes
from jugum.demo.stubs import stub_paper
from jugum.flow.office import people
from jugum.flow.office import types as types_
from jugum.flow.office.actor import Actor
from jugum.flow.plan import checks as plan_checks
from jugum.flow.plan import fields as plan_fields
from jugum.flow.plan import history as plan_history
from jugum.flow.plan.fields import FieldInput
from jugum.settings import Settings
from jugum.store import Store
from jugum.store.migrate import migrate

TYPES: dict[str, tuple[Callable[[int, random.Random], Any], int]] = {
    "pay-stub": (stub_paper, 8),
    "works-contract": (contract, 5),
    "tax-assessment": (tax_assessment, 3),
    "identity-paper": (identity_paper, 4),
}
PAPERS = 3


def read(pdf: bytes) -> tuple[list[Page], list[Structure]]:
    paper = open_paper(pdf, "paper.pdf")
    pages = [read_page(paper, index, engine_named("quick")).page for index in range(paper.page_count)]
    return pages, [structure_of(page, reading_picture(paper, index, page)) for index, page in enumerate(pages)]


def is_right(field: FieldPlan, got: Sequence[str | None], paper: Any) -> bool:
    if field.is_column:
        own = field.key.split(".", 1)[1]
        want = [
            normal_form(row[own], field.value_type) if row[own] else None for row in paper.tables.get(field.inside, [])
        ]
        return list(got) == want
    text = paper.truth.get(field.key, "")
    if field.kind is FieldKind.CLAUSE:
        return bool(got and got[0]) and fuzz.ratio(str(got[0]), text) > 98
    if not text or not got or got[0] is None:
        return not text and not got
    return same_value(got[0], normal_form(text, field.value_type) or text, field.value_type)


def is_proposed(field: FieldPlan, plan: Plan, found: Sequence[Proposal], paper: Any) -> bool:
    if field.kind is FieldKind.TABLE:
        heads = {name.lower() for column in plan.inside(field.key) for name in column.names_on_paper}
        return any(
            sum(c.printed_names[0].lower() in heads for c in proposal.columns) * 2 >= len(plan.inside(field.key))
            for proposal in found
            if proposal.columns
        )
    names = [name.lower() for name in field.names_on_paper]
    truth = normal_form(paper.truth[field.key], field.value_type)
    for proposal in found:
        alike = any(
            fuzz.ratio(name, printed.lower()) >= 80 for name in names for printed in proposal.field.printed_names
        )
        value = normal_form(proposal.example, field.value_type)
        if alike or (truth and value and field.kind is FieldKind.VALUE and same_value(truth, value, field.value_type)):
            return True
    return field.data_type.value == "machine-readable zone" and any(
        proposal.field.data_type is field.data_type for proposal in found
    )


def fields_of(asked: Plan) -> list[FieldPlan]:
    """What a sample could propose: all but columns and derived fields."""
    return [field for field in asked.fields if field.kind is not FieldKind.DERIVED and not field.is_column]


def engines() -> None:
    print(f"{'type':16} {'found right':>22} {'proposed, first layout':>24} {'all layouts':>16} {'ms a paper':>11}")
    for kind, (draw, layouts) in TYPES.items():
        asked = read_plan_file(plan_bytes(kind))[1]
        fields = [planned for planned in asked.fields if planned.kind not in (FieldKind.DERIVED, FieldKind.TABLE)]
        right = total = 0
        seconds: list[float] = []
        proposed: list[tuple[int, int]] = []
        for layout in range(layouts):
            for number in range(PAPERS):
                paper = draw(layout, random.Random(1000 * layout + number))
                pages, structures = read(paper.pdf)
                start = time.perf_counter()
                found = read_untrained(asked, pages, structures)
                seconds.append(time.perf_counter() - start)
                for field in fields:
                    total += 1
                    right += is_right(
                        field, [value.normal if value else None for value in found[field.key].values], paper
                    )
                if number == 0:
                    made = proposals(Plan(()), pages, structures)
                    there = [
                        planned
                        for planned in fields_of(asked)
                        if paper.truth.get(planned.key) or paper.tables.get(planned.key)
                    ]
                    proposed.append((sum(is_proposed(one, asked, made, paper) for one in there), len(there)))
        first, everywhere = proposed[0], tuple(map(sum, zip(*proposed, strict=True)))
        print(
            f"{kind:16} {right:>9} of {total:<4} {right / total:.2f} {first[0]:>12} of {first[1]:<3} "
            f"{first[0] / first[1]:.2f}"
            f" {everywhere[0]:>8} of {everywhere[1]:<3} {everywhere[0] / everywhere[1]:.2f} "
            f"{1000 * statistics.median(seconds):>10.0f}"
        )


def edits() -> None:
    with tempfile.TemporaryDirectory(prefix="jugum-bench-", dir="/tmp") as folder:
        Path(folder).chmod(0o755)
        cluster = Cluster(Path(folder) / "cluster", durable=False)
        try:
            settings = Settings(home=Path(folder), database_url=cluster.start())
            migrate(settings.database_url)
            store = Store(settings)
            people.add_person(
                store, None, login="admin", name="Ada", role="administrator", password="only for the bench"
            )
            _edit(store, people.actor_by_login(store, "admin"))
            store.close()
        finally:
            cluster.remove()


def _edit(store: Store, actor: Actor) -> None:
    type_id = types_.add_type(store, actor, types_.add_workspace(store, actor, "Bench"), "Large")
    fields = [FieldPlan(f"sum_{n}", f"Sum {n}", DataType.MONEY, (f"Sum no {n}",)) for n in range(80)]
    for number in range(3):
        fields.append(FieldPlan(f"table_{number}", f"Table {number}", kind=FieldKind.TABLE))
        fields += [
            FieldPlan(f"table_{number}.c{n}", f"Column {n}", DataType.MONEY, inside=f"table_{number}") for n in range(6)
        ]
    checks = tuple(Check(f"check_{n}", f"sum_{n} < sum_{n + 1}") for n in range(20))
    plan_history.import_plan(store, actor, 0, plan_file("Large", Plan(tuple(fields), checks), {}), type_id=type_id)
    times: dict[str, list[float]] = {}
    for number in range(20):
        given = FieldInput(name=f"Sum {number}", data_type="money", printed_names=[f"Sum no {number}", "again"])
        check = {"key": f"check_{number}", "expression": f"sum_{number} <= sum_{number + 1}"}
        for name, work in (
            ("change a field", partial(plan_fields.change_field, store, actor, type_id, f"sum_{number}", given)),
            ("move a field", partial(plan_fields.move_field, store, actor, type_id, f"sum_{number}", 40)),
            ("change a check", partial(plan_checks.put_check, store, actor, type_id, check)),
            ("look at the plan", partial(plan_fields.whole, store, type_id)),
        ):
            start = time.perf_counter()
            work()
            times.setdefault(name, []).append(time.perf_counter() - start)
    print(f"\na plan of {len(fields)} fields and columns and {len(checks)} checks")
    for name, taken in times.items():
        print(
            f"{name:18} {1000 * statistics.median(taken):6.1f} ms in the median, {1000 * max(taken):6.1f} ms at "
            f"most, of {len(taken)}"
        )


if __name__ == "__main__":
    engines()
    edits()
