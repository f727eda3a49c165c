"""A plan as one JSON file, with a published JSON Schema. Unknown keys are refused, so that nothing is lost silently."""

from __future__ import annotations

import json
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, ValidationError
from pydantic import Field as Spec

from jugum.core.schema.plan import (
    Check,
    FieldKind,
    FieldPlan,
    Plan,
    ReadingRule,
    Severity,
    Totals,
    Where,
    require_usable_rules,
)
from jugum.core.values import DataType, Option, OutputFormat
from jugum.errors import InputError

FORMAT = "jugum-plan-1"
FILE_BYTES_MAX = 2_000_000  # far more than a plan of FIELDS_MAX fields needs


class _Strict(BaseModel):
    # an attribute mistyped must be told, not dropped
    model_config = ConfigDict(extra="forbid", str_strip_whitespace=True)


class OptionFile(_Strict):
    """One option of a choice."""

    key: str = Spec(description="what is delivered")
    printed: list[str] = Spec(default_factory=list, description="how it stands on papers")


class RuleFile(_Strict):
    """A rule: a pattern, or where the value stands to some words."""

    pattern: str = Spec(
        default="", description="regular expression over a line; its first group is the value, if it has one"
    )
    where: Where | None = Spec(default=None, description="where the value stands to the words")
    words: str = ""
    until: str = Spec(default="", description="the second words, for “between”")


class OutputFile(_Strict):
    """How a value is written when it is delivered."""

    pattern: str = Spec(default="", description="of dates, as Unicode LDML writes it; “alpha-2” for countries")
    locale: str = "en"
    decimals: int | None = None
    decimal_mark: Literal[".", ","] = "."
    thousands_mark: Literal["", " ", ".", ",", "'"] = ""
    case: Literal["", "upper", "lower", "title"] = ""
    strip: str = Spec(default="", description="characters let go")


class FieldAttributes(_Strict):
    """What is said of a field, in a plan file and by the API alike: the attributes of FieldPlan with their defaults,
    but for those that tell which field it is and what its data type is."""

    name: str
    kind: FieldKind = FieldKind.VALUE
    printed_names: list[str] = Spec(default_factory=list)
    required: bool = True
    many: bool = False
    heading: str = ""
    note: str = Spec(default="", description="for those who label")
    question: str = Spec(default="", description="what is asked, in plain language")
    personal: bool = False
    month_first: bool | None = Spec(default=None, description="dates like 03/04: null is learned from the papers")
    pivot: int = Spec(default=50, description="two-digit years below it are 20xx")
    pattern: str = Spec(default="", description="of identifiers: a regular expression over the whole value")
    check_digit: str = ""
    region: str = Spec(default="", description="of phones: two letters of the country they are dialled in")
    options: list[OptionFile] = Spec(default_factory=list)
    units: list[str] = Spec(
        default_factory=list, description="of numbers: what may stand behind it; none: any usual unit"
    )
    output: OutputFile = OutputFile()
    rules: list[RuleFile] = Spec(default_factory=list)
    expression: str = Spec(default="", description="of derived fields")
    totals: Totals = Spec(default=Totals.END, description="what a table's line of totals is")


class FieldFile(FieldAttributes):
    """One field. Columns of a table and fields in a clause name it in `inside`; a column's key is `table.column`."""

    key: str
    data_type: DataType = DataType.TEXT
    inside: str = ""


class CheckFile(_Strict):
    """One check; `may_choose` lets it take another candidate that makes it true."""

    key: str
    expression: str
    message: str = ""
    severity: Severity = Severity.BLOCKING
    may_choose: bool = False


class PlanFile(_Strict):
    """A plan: what to read from a type of paper."""

    model_config = ConfigDict(title="Jugum plan", extra="forbid", str_strip_whitespace=True)

    format: Literal["jugum-plan-1"] = "jugum-plan-1"
    name: Annotated[str, Spec(max_length=80, description="of the document type")] = ""
    fields: list[FieldFile] = Spec(default_factory=list)
    checks: list[CheckFile] = Spec(default_factory=list)
    lists: dict[str, list[str]] = Spec(default_factory=dict, description="entries that `listed` looks in")


def plan_schema() -> dict[str, Any]:
    """The JSON Schema (draft 2020-12) of plan files."""
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **PlanFile.model_json_schema()}


def field_data(field: FieldPlan, *, whole: bool = False) -> dict[str, Any]:
    """A field as JSON-able data, what is not said left out unless it is the `whole`."""
    # files keep what was said alone, so that they can be read and compared by people
    return FieldFile.model_validate(_plain(field)).model_dump(mode="json", exclude_defaults=not whole)


def field_from(data: dict[str, Any]) -> FieldPlan:
    """The inverse of `field_data`. InputError names what is wrong."""
    try:
        return _field(FieldFile.model_validate(data))
    except ValidationError as error:
        raise InputError(_told(error, "the field")) from error


def check_data(check: Check) -> dict[str, Any]:
    """A check as JSON-able data, what is not said left out."""
    return CheckFile.model_validate(_plain(check)).model_dump(mode="json", exclude_defaults=True)


def check_from(data: dict[str, Any]) -> Check:
    """The inverse of `check_data`. InputError names what is wrong."""
    try:
        return Check(**CheckFile.model_validate(data).model_dump())
    except ValidationError as error:
        raise InputError(_told(error, "the check")) from error


def plan_data(plan: Plan) -> dict[str, Any]:
    """A plan as JSON-able data: its fields and checks."""
    return {
        "fields": [field_data(field) for field in plan.fields],
        "checks": [check_data(check) for check in plan.checks],
    }


def plan_from(data: dict[str, Any]) -> Plan:
    """The inverse of `plan_data`. InputError names what is wrong."""
    return Plan(
        tuple(field_from(field) for field in data["fields"]),
        tuple(check_from(check) for check in data.get("checks", ())),
    )


def plan_file(name: str, plan: Plan, lists: dict[str, list[str]]) -> bytes:
    """A plan as the bytes of a file."""
    data = {"format": FORMAT, "name": name, **plan_data(plan), "lists": lists}
    return (json.dumps(data, ensure_ascii=False, indent=1) + "\n").encode()


def read_plan_file(data: bytes) -> tuple[str, Plan, dict[str, list[str]]]:
    """Name, plan and lists of a file. InputError says what is wrong and where: no JSON, unknown keys, a circle of
    derived fields, an expression that names no field."""
    if len(data) > FILE_BYTES_MAX:  # before it is parsed, which takes many times its size
        raise InputError(f"A plan file has at most {FILE_BYTES_MAX // 1_000_000} MB; this one has {len(data)} bytes.")
    try:
        file = PlanFile.model_validate(json.loads(data))
    except (UnicodeDecodeError, json.JSONDecodeError) as error:
        raise InputError(f"The plan file is not JSON: {error}.") from error
    except ValidationError as error:
        raise InputError(_told(error, "the plan file")) from error
    plan = Plan(tuple(map(_field, file.fields)), tuple(Check(**check.model_dump()) for check in file.checks))
    for field in plan.fields:
        require_usable_rules(field)
    return file.name, plan, file.lists


def _plain(value: Any) -> dict[str, Any]:
    """A frozen value's own parts, cached ones aside."""
    made = {name: getattr(value, name) for name in value.__dataclass_fields__}
    for name, part in made.items():
        if isinstance(part, tuple):
            made[name] = [_plain(item) if hasattr(item, "__dataclass_fields__") else item for item in part]
        elif hasattr(part, "__dataclass_fields__"):
            made[name] = _plain(part)
    return made


def _field(file: FieldFile) -> FieldPlan:
    given = file.model_dump(exclude={"options", "rules", "output", "printed_names", "units"})
    return FieldPlan(
        **given,
        printed_names=tuple(dict.fromkeys(name for name in file.printed_names if name)),
        options=tuple(Option(option.key, tuple(option.printed)) for option in file.options),
        units=tuple(dict.fromkeys(unit for unit in file.units if unit)),
        output=OutputFormat(**file.output.model_dump()),
        rules=tuple(ReadingRule(**rule.model_dump()) for rule in file.rules),
    )


def _told(error: ValidationError, what: str) -> str:
    first = error.errors()[0]
    where = " → ".join(str(part + 1) if isinstance(part, int) else part for part in first["loc"])
    if first["type"] == "extra_forbidden":
        return f"{what[0].upper()}{what[1:]} has “{where}”, which is not a known key."
    return f"In {what} at “{where}”: {first['msg'].lower()}."
