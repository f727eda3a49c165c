"""What a version's report says of its test set."""

from __future__ import annotations

import pytest
from sqlalchemy import select
from tests.api.conftest import client_of
from tests.office import Office

from jugum.core.evaluation.report_model import Counted, Gap, TestFigures
from jugum.settings import Settings
from jugum.store.models import ModelVersion
from jugum.web.app import create_app


def counted(right: int, total: int) -> Counted:
    return Counted(right=right, total=total, interval=(0.0, 1.0))


@pytest.mark.parametrize(
    ("right", "chance", "said"),
    [
        (
            20,
            0.01,
            "once in 100 times, by papers): 66.7 % of 30 values right in the test set, 90.0 % of 30 held-out ones",
        ),
        (20, 0.01, "Label papers like those of the test set, and train again."),
        (30, 0.01, "What passes is rather more right than Weigh says."),
        (26, 0.4, "On known layouts it agrees with what held-out papers showed (90.0 % of 30 values right)."),
    ],
)
def test_a_test_set_that_disagrees_is_told_and_one_that_agrees_too(
    trained: Office, settings: Settings, right: int, chance: float, said: str
) -> None:
    figures = {"calibration_error": 0.0, "brier": 0.0, "risk_coverage": 0.0, "reliability": [], "decisions": 30}
    test = TestFigures(
        **figures,
        **counted(right, 30).model_dump(),
        papers=10,
        known_layouts=counted(right, 30),
        new_layouts=counted(0, 0),
        fields={},
        known_gap=Gap(own=counted(27, 30), test=counted(right, 30), chance=chance),
    )
    with trained.store.session() as session:
        version = session.scalars(select(ModelVersion)).one()
        version.report = {**version.report, "test": test.model_dump(mode="json")}
        number = version.id
    with client_of(create_app(settings), trained, "analyst") as client:
        page = client.get(f"/types/{trained.type_id}/train/{number}").text
        file = client.get(f"/api/v1/versions/{number}/report.html").text
    assert said in " ".join(page.split())
    assert ("disagree more than chance allows" in " ".join(page.split())) is (chance < 0.05)
    row = "</td><td class=n>".join(("known layouts", str(right), "30", "27", "30", f"{chance:.3f}"))
    assert row in file
