"""Plan: the fields and checks of a type, beside a living sample."""

from __future__ import annotations

from dataclasses import asdict

from fastapi import APIRouter, Request
from fastapi.responses import Response

from jugum.core.schema.expression import EXAMPLES, FUNCTIONS
from jugum.core.values import USUAL_UNITS, DataType
from jugum.core.values.identifiers import CHECK_DIGITS
from jugum.flow.office import types as types_
from jugum.flow.plan import checks as plan_checks
from jugum.flow.plan import fields as plan_fields
from jugum.flow.plan import history as plan_history
from jugum.flow.plan import sample as plan_sample
from jugum.web.gate import GatedRoute
from jugum.web.rendering import page
from jugum.web.security import MaySee

router = APIRouter(route_class=GatedRoute)


@router.get("/types/{type_id}/plan")
def plan_page(request: Request, type_id: int, actor: MaySee, sample_id: int | None = None) -> Response:
    store = request.app.state.store
    shown = types_.type_view(store, type_id)
    whole = plan_fields.whole(store, type_id)
    data = {
        "fields": [asdict(field) for field in whole.fields],
        "checks": whole.checks,
        "number": whole.number,
        "order": whole.date_order,
        "samples": plan_sample.first_samples(store, type_id),
        "chosen": sample_id,
        "functions": {
            name: [len(function.takes) - function.optional, function.help] for name, function in FUNCTIONS.items()
        },
        "may": actor.can("plan"),
        "lists": [
            {"name": entries.name, "entries": len(entries.entries)}
            for entries in plan_checks.lists(store, shown.workspace_id)
        ],
    }
    return page(
        request,
        "plan/plan.html",
        actor=actor,
        shown=shown,
        step="plan",
        data=data,
        top=[f for f in whole.fields if "." not in f.key],
        data_types=[kind.value for kind in DataType],
        check_digits=list(CHECK_DIGITS),
        usual_units=USUAL_UNITS,
        functions=[(name, FUNCTIONS[name].help, example) for name, example in EXAMPLES.items()],
        versions=plan_history.plan_versions(store, type_id),
    )
