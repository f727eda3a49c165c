"""Versions as things: kept as files, run on papers, trained by themselves; names that mean the same; the suggestion
service."""

from __future__ import annotations

import io
import json
import threading
import zipfile
from collections.abc import Callable, Iterator
from http.server import BaseHTTPRequestHandler, HTTPServer

import pytest
from sqlalchemy import select
from sqlalchemy.orm import undefer
from tests.office import Office
from tests.papers import slip_pdf, slips

from jugum.core.evaluation.tables import ReportTable
from jugum.core.extraction.candidates.synonyms import shipped_groups
from jugum.core.training.stages import Stage
from jugum.errors import Conflict, ExternalError, Forbidden, InputError
from jugum.flow.gather import classification, documents
from jugum.flow.gather.classifiers import LoadedClassifiers
from jugum.flow.gather.explore import Explorer
from jugum.flow.in_force import LoadedVersions
from jugum.flow.label import samples, suggestion_service, suggestions
from jugum.flow.office import types as types_
from jugum.flow.overview import overview
from jugum.flow.plan import fields as plan_fields
from jugum.flow.plan import synonyms as plan_synonyms
from jugum.flow.plan.fields import FieldInput
from jugum.flow.review import changes as version_changes
from jugum.flow.train import automatic, training, versions
from jugum.flow.train import files as version_files
from jugum.flow.weigh import policies, weighing
from jugum.standins.suggestions import best_answer
from jugum.store.models import Document, ModelVersion, Reading, Workspace
from jugum.store.queue import Task, count_waiting, waiting_documents

Run = Callable[[], None]
LOADED = LoadedVersions()


def live_one(office: Office, run_jobs: Run, start: int = 40) -> int:
    document = office.bring(slips(1, start=start)[0], "live")
    run_jobs()
    return document


def newest(office: Office) -> int:
    return versions.versions(office.store, office.type_id)[0].id


# ---- One file --------------------------------------------------------------------------------------------------------


def test_a_version_taken_out_and_brought_in_reads_the_same(trained: Office, run_jobs: Run) -> None:
    name, data = version_files.exported(trained.store, newest(trained))
    assert name == "mooring_slip-version-1.jugum-version"
    brought = version_files.import_version(trained.store, trained.analyst, trained.type_id, name, data)
    view = versions.version_view(trained.store, brought)
    assert (view.state, view.number) == ("on trial", 2)
    assert "mooring_slip" in view.origin
    assert view.report.seen_right == versions.version_view(trained.store, newest(trained) - 1).report.seen_right
    document = live_one(trained, run_jobs)
    assert version_changes.changes(trained.store, LOADED, Explorer(), brought, document).changed == []
    assert versions.against_other(trained.store, brought) is None  # the papers are not the same
    versions.publish(trained.store, trained.analyst, brought, "from the other office")
    with trained.store.session() as session:
        evidence = session.get_one(ModelVersion, brought, options=[undefer(ModelVersion.evidence)]).evidence
        assert len({row["sample"] for row in evidence}) == 10
    assert weighing.weigh(trained.store, trained.type_id).version_id == brought


def test_a_training_tells_how_far_it_is_from_the_pictures_on(trained: Office, monkeypatch: pytest.MonkeyPatch) -> None:
    plan_fields.add_field(
        trained.store, trained.analyst, trained.type_id, FieldInput(name="Winter", data_type="tick box", required=False)
    )
    told: list[tuple[str, float]] = []

    class Listener(training.ProgressWriter):
        def __call__(self, stage: Stage, share: float, detail: str = "") -> None:
            super().__call__(stage, share, detail)
            told.append((f"{stage}{detail}", self._timetable.share_done(stage, share)))

    monkeypatch.setattr(training, "ProgressWriter", Listener)
    version = training.start(trained.store, trained.analyst, trained.type_id)
    training.run(trained.store, version)
    assert [stage for stage, _ in told][:10] == [f"looking at pictures, {n} of 10 papers" for n in range(1, 11)]
    shares = [share for _, share in told]
    assert shares == sorted(shares)
    assert shares[-1] == 1.0
    took = versions.version_view(trained.store, version).report.stage_seconds
    assert set(took) == set(Stage)
    with trained.store.session() as session:
        assert training._timetable(session, trained.type_id).took == took


def test_a_version_of_another_plan_is_refused_with_a_word(trained: Office) -> None:
    _, data = version_files.exported(trained.store, newest(trained))
    other = types_.add_type(trained.store, trained.analyst, _workspace(trained), "Berth list")
    plan_fields.add_field(trained.store, trained.analyst, other, plan_fields.FieldInput(name="Berth", data_type="text"))
    with pytest.raises(InputError, match="none of the fields it reads is in the plan"):
        version_files.import_version(trained.store, trained.analyst, other, "v.jugum-version", data)
    plan_fields.add_field(
        trained.store, trained.analyst, other, plan_fields.FieldInput(name="Amount", data_type="date")
    )
    with pytest.raises(InputError, match="another kind of field for Amount"):
        version_files.import_version(trained.store, trained.analyst, other, "v.jugum-version", data)


def _workspace(office: Office) -> int:
    with office.store.session() as session:
        return session.scalars(select(Workspace.id)).one()


def test_files_that_are_no_version_are_refused(trained: Office) -> None:
    _, data = version_files.exported(trained.store, newest(trained))
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        parts = {one: archive.read(one) for one in archive.namelist()}
    assert json.loads(parts["manifest.json"])["libraries"]["lightgbm"]
    manifest = json.loads(parts["manifest.json"])
    without_sums = {**manifest, "parts": {}}
    for change, said in (
        ({"manifest.json": b'{"format": 99}'}, "format 99"),
        ({"model.json": b"{}"}, "its part model.json has changed"),
        ({"trees.txt": parts["trees.txt"][:2000]}, "its part trees.txt has changed"),
        ({"tagger.crfsuite": parts["tagger.crfsuite"][:400]}, "its part tagger.crfsuite has changed"),
        # Files of before have no sums: each part is still tried.
        ({"manifest.json": without_sums, "model.json": b"{}"}, "don't fit together"),
        ({"manifest.json": without_sums, "trees.txt": b"rubbish"}, "don't fit together"),
        ({"manifest.json": without_sums, "tagger.crfsuite": b"rubbish"}, "don't fit together"),
        ({"report.json": b"{"}, "report or its evidence can't be read"),
        ({"report.json": b"{}"}, "is empty"),
        ({"evidence.json": b'[{"sample": 1}]'}, "report or its evidence can't be read"),
    ):
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w") as archive:
            for one, held in {**parts, **change}.items():
                archive.writestr(one, held if isinstance(held, bytes) else json.dumps(held))
        with pytest.raises(InputError, match=said):
            version_files.import_version(trained.store, trained.analyst, trained.type_id, "x", out.getvalue())
    with pytest.raises(InputError, match="no version file"):
        version_files.import_version(trained.store, trained.analyst, trained.type_id, "x", b"PK rubbish")


# ---- What a version would change -------------------------------------------------------------------------------------


def test_a_version_is_run_on_papers_of_another_and_reads_them_again_when_told(trained: Office, run_jobs: Run) -> None:
    document = live_one(trained, run_jobs)
    assert version_changes.papers_to_try(trained.store, trained.type_id) == [document]
    second = training.start(trained.store, trained.analyst, trained.type_id)
    run_jobs()
    with trained.store.session() as session:  # as if the first version had read it wrongly
        wrong = session.scalars(select(Reading).where(Reading.document_id == document)).all()
        for reading in wrong:
            if reading.text:
                reading.normal = "1.00" if reading.normal.endswith(".00") else reading.normal
        wrong[-1].normal = "3.33"
    found = version_changes.changes(trained.store, LOADED, Explorer(), second, document)
    assert (found.document, found.begun) == (document, False)
    assert "3.33" in [change.before for change in found.changed]
    assert version_changes.read_again(trained.store, trained.analyst, second, [document]) == 1
    run_jobs()
    with trained.store.session() as session:
        assert session.get_one(Document, document).version_id == second
    assert version_changes.changes(trained.store, LOADED, Explorer(), second, document).changed == []
    with pytest.raises(InputError, match="not a live paper"):
        version_changes.read_again(
            trained.store,
            trained.analyst,
            second,
            [documents.documents(trained.store, trained.type_id, purpose="sample")[0].id],
        )


def test_readings_keep_their_reason_and_raw_scores(trained: Office, run_jobs: Run) -> None:
    document = live_one(trained, run_jobs)
    with trained.store.session() as session:
        kept = session.scalars(select(Reading).where(Reading.document_id == document, Reading.absent.is_(False))).all()
        assert kept
        assert all(example.why for example in kept)
        assert all({"ranker", "prior", "next"} <= example.scores.keys() for example in kept)


# ---- The ladder ------------------------------------------------------------------------------------------------------


def test_a_live_version_is_taken_back_and_the_ladder_tells_who_and_why(trained: Office, run_jobs: Run) -> None:
    second = training.start(trained.store, trained.analyst, trained.type_id)
    run_jobs()
    versions.publish(trained.store, trained.analyst, second, "  more papers ")
    assert versions.go_back(trained.store, trained.analyst, trained.type_id) == 1
    ladder = versions.versions(trained.store, trained.type_id)
    assert [(one.number, one.state, one.note) for one in ladder] == [
        (2, "retired", "more papers"),
        (1, "published", "Went back from version 2"),
    ]
    assert ladder[1].published_by == "Ann"


def test_a_held_paper_is_read_once_after_a_version_and_its_thresholds(trained: Office, run_jobs: Run) -> None:
    document = live_one(trained, run_jobs)
    thresholds = dict.fromkeys(("member", "paid_on", "amount"), 1.0)
    second = training.start(trained.store, trained.analyst, trained.type_id)
    run_jobs()
    assert versions.publish(trained.store, trained.analyst, second) == 1
    policies.save_policy(trained.store, trained.analyst, trained.type_id, thresholds, 1.0)
    with trained.store.session() as session:
        assert waiting_documents(session, Task.DRAFT_DOCUMENT) == {document}
        assert count_waiting(session, Task.DRAFT_DOCUMENT) == 1
    run_jobs()
    with trained.store.session() as session:
        assert set(session.scalars(select(Reading.version_id).where(Reading.document_id == document))) == {second}


def test_taking_back_names_the_version_that_was_live_before_not_the_highest(trained: Office, run_jobs: Run) -> None:
    for _ in range(2):
        training.start(trained.store, trained.analyst, trained.type_id)
        run_jobs()
    first, second, third = (one.id for one in reversed(versions.versions(trained.store, trained.type_id)))
    for version in (third, first, second):
        versions.publish(trained.store, trained.analyst, version)
    assert versions.overview(trained.store, trained.type_id).before == 1
    assert versions.go_back(trained.store, trained.analyst, trained.type_id) == 1


def test_there_is_nothing_to_take_back_to_at_first(trained: Office) -> None:
    with pytest.raises(Conflict, match="No version was live before version 1"):
        versions.go_back(trained.store, trained.analyst, trained.type_id)


def test_a_training_waits_behind_another_and_no_third_is_taken(trained: Office, run_jobs: Run) -> None:
    training.start(trained.store, trained.analyst, trained.type_id)
    with trained.store.session() as session:
        session.scalars(select(ModelVersion).where(ModelVersion.number == 2)).one().state = "training"
    third = training.start(trained.store, trained.analyst, trained.type_id)
    with pytest.raises(Conflict, match="Version 3 is waiting"):
        training.start(trained.store, trained.analyst, trained.type_id)
    run_jobs()
    assert versions.version_view(trained.store, third).state == "on trial"


def test_an_imported_version_has_learned_from_no_paper_of_here(trained: Office, run_jobs: Run) -> None:
    """Overview and Train say the same, before a new paper is labelled and after."""

    def counted() -> tuple[int, int]:
        now = overview.steps(trained.store, trained.type_id).labelled_since
        return now, versions.overview(trained.store, trained.type_id).new_since

    name, data = version_files.exported(trained.store, newest(trained))
    version_files.import_version(trained.store, trained.analyst, trained.type_id, name, data)
    assert counted() == (0, 0)
    slip = slips(1, start=70)[0]
    document = trained.bring(slip)
    run_jobs()
    trained.label_whole(document, slip)
    assert counted() == (1, 1)
    version_files.import_version(trained.store, trained.analyst, trained.type_id, name, data)
    assert counted() == (1, 1)


def test_training_begins_by_itself_after_so_many_papers(trained: Office, run_jobs: Run) -> None:
    with pytest.raises(InputError, match="1 to 10,000"):
        automatic.set_training(trained.store, trained.analyst, trained.type_id, 0)
    automatic.set_training(trained.store, trained.analyst, trained.type_id, 2)
    for number, slip in enumerate(slips(2, start=70)):
        document = trained.bring(slip, layout=number)
        run_jobs()
        trained.label_whole(document, slip)
        run_jobs()
        assert len(versions.versions(trained.store, trained.type_id)) == (1 if number == 0 else 2)
    assert versions.overview(trained.store, trained.type_id).new_since == 0
    automatic.set_training(trained.store, trained.analyst, trained.type_id, None)
    assert versions.overview(trained.store, trained.type_id).train_when is None


def test_a_field_whose_data_type_was_changed_is_not_read_by_the_version_of_before(
    trained: Office, run_jobs: Run
) -> None:
    plan_fields.change_field(
        trained.store,
        trained.analyst,
        trained.type_id,
        "amount",
        plan_fields.FieldInput(name="Amount", data_type="text", printed_names=["Total"]),
    )
    document = live_one(trained, run_jobs)
    with trained.store.session() as session:
        rows = session.scalars(select(Reading).where(Reading.document_id == document)).all()
        engines = {row.engine for row in rows if row.normal and "," in row.text}
    assert "model" not in engines
    retired = training.start(trained.store, trained.analyst, trained.type_id)
    training.cancel(trained.store, trained.analyst, retired)
    _, data = version_files.exported(trained.store, newest(trained) - 1)
    with pytest.raises(InputError, match="another kind of field for Amount"):
        version_files.import_version(trained.store, trained.analyst, trained.type_id, "v", data)


# ---- The report ------------------------------------------------------------------------------------------------------


def test_the_report_is_one_page_and_each_of_its_tables_a_file(trained: Office) -> None:
    version = newest(trained)
    training.draw_curve(trained.store, version)
    name, page = version_files.report_file(trained.store, version)
    assert name == "version-1-report.html"
    assert "<script" not in page
    assert "src=" not in page
    for table in ("summary", "fields", "layouts", "reliability", "curve"):
        assert version_files.report_csv(trained.store, version, table)[1].count("\n") > 1, table
    with pytest.raises(InputError, match="it has summary, fields"):
        version_files.report_csv(trained.store, version, "secrets")
    more = ReportTable("types", "Types", ("papers of", "placed as Slip"), (("Slip", 9),))
    assert "<h2>Types</h2>" in version_files.report_file(trained.store, version, [more])[1]
    assert version_files.report_csv(trained.store, version, "types", [more])[1].splitlines() == [
        "papers of,placed as Slip",
        "Slip,9",
    ]
    report = versions.version_view(trained.store, version).report
    assert report.seen.papers == 10
    assert report.curve[""].points[-1].total == report.seen_total


# ---- Names that mean the same ----------------------------------------------------------------------------------------


def test_an_office_s_names_are_kept_and_used_in_training(trained: Office) -> None:
    lines = ["Amount = hull dues", "", "  Member =  skipper "]
    assert plan_synonyms.set_synonyms(trained.store, trained.analyst, trained.type_id, lines) == 2
    view = plan_synonyms.synonyms_view(trained.store, LOADED, trained.type_id)
    assert view.lines == ["Amount = hull dues", "Member = skipper"]
    with trained.store.session() as session:
        groups = samples.synonyms_in(session, _workspace(trained))
    assert len(groups) == len(shipped_groups()) + 2
    assert frozenset({"amount", "hull dues"}) in groups
    with pytest.raises(InputError, match="Line 1, “alone”, has one name only"):
        plan_synonyms.set_synonyms(trained.store, trained.analyst, trained.type_id, ["alone"])
    with pytest.raises(Forbidden):
        plan_synonyms.set_synonyms(trained.store, trained.reviewer, trained.type_id, lines)


def test_names_that_labelled_papers_print_are_shown_until_they_are_known(trained: Office) -> None:
    plan_fields.change_field(
        trained.store,
        trained.analyst,
        trained.type_id,
        "amount",
        plan_fields.FieldInput(name="Amount", data_type="money", printed_names=["fee"]),
    )
    seen = {
        (one.field, one.printed) for one in plan_synonyms.synonyms_view(trained.store, LOADED, trained.type_id).seen
    }
    assert ("amount", "total") in seen
    plan_synonyms.set_synonyms(trained.store, trained.analyst, trained.type_id, ["amount = total"])
    assert ("amount", "total") not in {
        (one.field, one.printed) for one in plan_synonyms.synonyms_view(trained.store, LOADED, trained.type_id).seen
    }


# ---- The suggestion service ------------------------------------------------------------------------------------------


class _Service(BaseHTTPRequestHandler):
    asked: list[str] = []

    def do_POST(self) -> None:
        body = json.loads(self.rfile.read(int(self.headers["Content-Length"])))
        self.asked.append(body["question"])
        answer = best_answer(body["question"], body["lines"]).model_dump_json().encode()
        self.send_response(200)
        self.end_headers()
        self.wfile.write(answer if "nonsense" not in body["question"] else b"[]")

    def log_message(self, *args: object) -> None:
        pass


@pytest.fixture
def service() -> Iterator[str]:
    _Service.asked.clear()
    server = HTTPServer(("127.0.0.1", 0), _Service)
    thread = threading.Thread(target=server.serve_forever)
    thread.start()
    yield f"http://127.0.0.1:{server.server_address[1]}"
    server.shutdown()
    thread.join()
    server.server_close()


def test_a_service_is_asked_only_when_an_administrator_turned_it_on(
    office: Office, run_jobs: Run, service: str
) -> None:
    asked = plan_fields.FieldInput(
        name="Payer", data_type="text", printed_names=["zzz"], required=False, question="Which vessel berths here?"
    )
    plan_fields.add_field(office.store, office.analyst, office.type_id, asked)
    slip = slips(1)[0]
    document = office.bring(slip)
    run_jobs()

    def payer() -> list[str]:
        with office.store.session() as session:
            given = suggestions.load_suggestion_input(session, session.get_one(Document, document))
        found = suggestions.suggestions(office.store, given, LOADED, None)
        return [value.text for value in found["payer"].values if value and value.origin == "service"]

    assert payer() == []
    assert _Service.asked == []
    workspace = _workspace(office)
    with pytest.raises(Forbidden):
        suggestion_service.set_service(office.store, office.analyst, workspace, on=True, address=service)
    with pytest.raises(InputError, match="not the address"):
        suggestion_service.set_service(office.store, office.actors["admin"], workspace, on=True, address="nowhere")
    suggestion_service.set_service(office.store, office.actors["admin"], workspace, on=True, address=service)
    (view,) = suggestion_service.services(office.store, office.actors["admin"])
    assert (view.on, view.stays, view.by) == (True, True, "Ada")
    payer()
    assert "Which vessel berths here?" in _Service.asked
    suggestion_service.set_service(office.store, office.actors["admin"], workspace, on=False, address=service)
    _Service.asked.clear()
    payer()
    assert _Service.asked == []


def test_a_service_that_is_away_or_talks_nonsense_is_an_error_of_its_own(service: str) -> None:
    assert suggestion_service.ask(service, "What is the total?", ["Total: 12,00", "Date: 1 May"]) == "12,00"
    with pytest.raises(ExternalError, match="an answer that cannot be read"):
        suggestion_service.ask(service, "nonsense", ["Total: 12,00"])
    with pytest.raises(ExternalError, match="does not answer"):
        suggestion_service.ask("http://127.0.0.1:9", "What?", [])


def test_the_stand_in_answers_with_the_value_that_the_question_s_words_fit() -> None:
    lines = ["The contract ends on 3 May 2027.", "Total price: 12 000,00", "Signed in Tarn"]
    assert best_answer("What is the total price?", lines).answer == "12 000,00"
    assert best_answer("When does the contract end?", lines).line == 0
    assert best_answer("Whose horse?", ["abc"]).line == -1
    assert best_answer("the of", lines).answer == ""


# ---- Phrases for types -----------------------------------------------------------------------------------------------


def test_a_phrase_places_papers_of_no_known_type(office: Office, run_jobs: Run) -> None:
    with pytest.raises(InputError, match="both show and exclude"):
        classification.set_phrases(office.store, office.analyst, office.type_id, ["Paid by"], ["paid BY"])
    with pytest.raises(InputError, match="not a phrase"):
        classification.set_phrases(office.store, office.analyst, office.type_id, ["--"], [])
    classification.set_phrases(office.store, office.analyst, office.type_id, ["paid by"], [])
    view = classification.sorting_view(office.store, LoadedClassifiers(), office.type_id)
    assert (view.pro, view.contra, view.twins, view.confusion) == (["paid by"], [], [], [])
    intake = documents.Intake(workspace_id=_workspace(office))
    receipt = documents.receive(
        office.store, office.analyst, None, "new.pdf", slip_pdf(slips(1)[0], 0), purpose="live", intake=intake
    )
    run_jobs()
    with office.store.session() as session:
        assert session.get_one(Document, receipt.document_id).type_id == office.type_id
