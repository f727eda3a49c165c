"""Tables, by what they are about. The database holds the invariants; each constraint says why by its name."""

from jugum.store.models.base import DATA_TYPES, ENGINES, FIELD_KINDS, MEMBER_ROLES, ROLES, SETS, SOURCE_KINDS, Base
from jugum.store.models.checks import Breach, CheckedValue, SpotCheck
from jugum.store.models.label import (
    Assignment,
    BlindLabel,
    ControlSuggestion,
    KeptLabel,
    Label,
    LayoutGroup,
    PastRecord,
)
from jugum.store.models.office import (
    ApiKey,
    Audit,
    Membership,
    Person,
    PersonSession,
    SignInAttempt,
    TaskFailure,
    Workspace,
)
from jugum.store.models.papers import Batch, ClassifierVersion, Document, PageRow, Source, SourceFile
from jugum.store.models.plan import DocumentType, Field, NamedList, PlanVersion, RemovedField, RemovedRow
from jugum.store.models.results import CheckWaiver, DeliveredDocument, Delivery, Hold, Reading, Result
from jugum.store.models.train import ModelVersion, Policy, SortingPolicy

__all__ = [
    "DATA_TYPES",
    "ENGINES",
    "FIELD_KINDS",
    "MEMBER_ROLES",
    "ROLES",
    "SETS",
    "SOURCE_KINDS",
    "ApiKey",
    "Assignment",
    "Audit",
    "Base",
    "Batch",
    "BlindLabel",
    "Breach",
    "CheckWaiver",
    "CheckedValue",
    "ClassifierVersion",
    "ControlSuggestion",
    "DeliveredDocument",
    "Delivery",
    "Document",
    "DocumentType",
    "Field",
    "Hold",
    "KeptLabel",
    "Label",
    "LayoutGroup",
    "Membership",
    "ModelVersion",
    "NamedList",
    "PageRow",
    "PastRecord",
    "Person",
    "PersonSession",
    "PlanVersion",
    "Policy",
    "Reading",
    "RemovedField",
    "RemovedRow",
    "Result",
    "SignInAttempt",
    "SortingPolicy",
    "Source",
    "SourceFile",
    "SpotCheck",
    "TaskFailure",
    "Workspace",
]
