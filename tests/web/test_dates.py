"""Dates on pages in the style that a workspace has chosen."""

from __future__ import annotations

from datetime import UTC, datetime

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import update
from tests.api.conftest import client_of
from tests.office import Office
from tests.papers import slips

from jugum.core.values.date_styles import DateStyle
from jugum.errors import Forbidden, NotFound
from jugum.flow.office import types as types_
from jugum.settings import Settings
from jugum.store.models import Document
from jugum.web.app import create_app


def page(client: TestClient, office: Office) -> str:
    answer = client.get(f"/types/{office.type_id}/gather")
    assert answer.status_code == 200
    return answer.text


def test_pages_write_dates_as_their_workspace_does(office: Office, settings: Settings) -> None:
    document = office.bring(slips(1)[0])
    with office.store.session() as session:
        long_ago = datetime(2001, 2, 3, 12, tzinfo=UTC)
        session.execute(update(Document).where(Document.id == document).values(received_at=long_ago))
    workspace = types_.type_view(office.store, office.type_id).workspace_id
    with client_of(create_app(settings), office, "admin") as client:
        assert "3 Feb 2001" in page(client, office)
        sent = client.post(f"/workspaces/{workspace}/dates", data={"style": "month first"}, follow_redirects=False)
        assert sent.status_code == 303
        seen = page(client, office)
        assert "02/03/2001" in seen
        assert 'data-dates="month first"' in seen
        assert client.post(f"/workspaces/{workspace}/dates", data={"style": "backwards"}).status_code == 422


def test_only_an_administrator_chooses_the_style(office: Office) -> None:
    workspace = types_.type_view(office.store, office.type_id).workspace_id
    with pytest.raises(Forbidden):
        types_.set_date_style(office.store, office.analyst, workspace, DateStyle.ISO)
    with pytest.raises(NotFound):
        types_.set_date_style(office.store, office.actors["admin"], 999_999, DateStyle.ISO)
