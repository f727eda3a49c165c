"""A whole office over its own API on a folder of papers with their truth: plans, samples, labels, training, policies,
and live papers whose type the program finds out.

    .venv/bin/python -m bench.over_api FOLDER OUT.jsonl [--count 25] [--types pay_stub …] [--given]

FOLDER is one that `bench.folder` reads. The office is started as people start it, with the careful engine. So many
papers a type of the split "train" are labelled from a file of labels, as by people who sweep the words of each value;
the versions are published, the thresholds that Weigh proposes are saved, and the papers of the splits "test_known" and
"test_new" come in as post, in no order. OUT gets a prediction a line, as `bench.folder` writes them; a paper that no
type was found for has the type "". With `--given` the type of each is told. How long each part took is said.
"""

from __future__ import annotations

import argparse
import json
import random
import time
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

from tests.client import Client

from bench.folder import PaperRead, labelled, plan_of
from bench.office import running_office
from jugum.core.extraction.candidates.samples import Sample, SampleLabel
from jugum.core.formats.labels_file import FieldData, PaperData, PlaceData, ValueData, write_lines
from jugum.core.page import Box, Page, Word
from jugum.core.schema import FieldKind, HoldReason, Plan
from jugum.core.schema.plan_file import field_data
from jugum.core.states import DocumentState
from jugum.core.values import DataType

HOURS = 3600.0
READ = (DocumentState.HELD, DocumentState.PASSED)
AT_REST = (*READ, DocumentState.UNPLACED, DocumentState.SET_ASIDE)
Truth = Mapping[str, Any]


# ---- What goes in ----------------------------------------------------------------------------------------------------


def read_as(client: Client, document: int, truth: Truth) -> PaperRead:
    """A sample as the office read it, so that its words can be swept."""
    pages = []
    for number in range(1, truth["pages"] + 1):
        words = client.call("GET", f"/documents/{document}/pages/{number}/words")
        pages.append(Page(number, 595, 842, tuple(Word(word[0], Box(*word[1:5])) for word in words)))
    return PaperRead(dict(truth), tuple(pages), ())


def labels_of(plan: Plan, sample: Sample) -> PaperData:
    """The labels of a sample as a line of a labels file."""
    labels = {}
    for field in plan.fields:
        if field.inside:
            continue
        if field.kind is FieldKind.TABLE:
            columns = [column for column in plan.inside(field.key) if sample.labels.get(column.key)]
            rows = [
                {
                    column.key: _value(sample.labels[column.key][row])
                    for column in columns
                    if sample.labels[column.key][row].text
                }
                for row in range(len(sample.labels[columns[0].key]) if columns else 0)
            ]
            labels[field.key] = FieldData(absent=not rows, rows=rows)
        else:
            values = [_value(label) for label in sample.labels.get(field.key, ())]
            labels[field.key] = FieldData(absent=not values, values=values)
    return PaperData(file=Path(sample.key).name, labels=labels)


def _value(label: SampleLabel) -> ValueData:
    places = [] if label.page is None or label.box is None else [_place(label.page, label.box)]
    return ValueData(
        text=label.text,
        normal=label.normal,
        places=[*places, *(_place(page, box) for page, box in label.more_places)],
    )


def _place(page: int, box: Box) -> PlaceData:
    left, top, right, bottom = (min(1.0, max(0.0, edge)) for edge in (box.x0, box.y0, box.x1, box.y1))
    return PlaceData(page=page, box=(left, top, right, bottom))


def learned(client: Client, workspace: int, folder: Path, name: str, plan: Plan, papers: Sequence[Truth]) -> int:
    """A type with its plan and labelled papers, and a version of it on trial; returns the type."""
    fields = [field_data(field) for field in plan.fields]
    kind: int = client.call("POST", f"/workspaces/{workspace}/plans", json={"name": name, "fields": fields})["id"]
    ids = {paper["file"]: client.upload(kind, paper["file"], (folder / paper["file"]).read_bytes()) for paper in papers}
    client.wait(f"/types/{kind}/steps", lambda steps: steps["to_label"] == len(papers), HOURS)
    lines = [labels_of(plan, labelled(plan, read_as(client, ids[paper["file"]], paper))) for paper in papers]
    sent = {"file": ("labels.jsonl", write_lines(lines).encode())}
    taken = client.call("POST", f"/types/{kind}/labels-file", files=sent)
    if taken["unknown"]:
        raise RuntimeError(f"Labels of {name} were not taken: {taken['unknown'][:3]}")
    return kind


def published(client: Client, kind: int, version: int) -> None:
    """The type's version trained and published, and its proposed thresholds saved."""
    view = client.wait(f"/versions/{version}", lambda view: view["state"] in ("on trial", "failed"), HOURS)
    if view["state"] == "failed":
        raise RuntimeError(f"The training failed: {view['error']}")
    client.call("POST", f"/versions/{version}/publish")
    weighed = client.call("GET", f"/types/{kind}/weigh")
    body = {
        "thresholds": {balance["key"]: balance["proposed"] for balance in weighed["balances"]},
        "layout_similarity_min": weighed["layout_similarity_proposed"],
    }
    client.call("POST", f"/types/{kind}/policies", json=body)


# ---- What comes out --------------------------------------------------------------------------------------------------


def predicted(client: Client, document: int, file: str, keys: Mapping[int, tuple[str, Plan]]) -> dict[str, Any]:
    """What the office says of a live paper, with the state it came to."""
    view = client.call("GET", f"/documents/{document}")
    line: dict[str, Any] = {"file": file, "type": "", "state": view["state"], "fields": {}, "tables": {}}
    if view["state"] not in READ:
        return line
    desk = client.call("GET", f"/documents/{document}/review-desk?look=true")
    line["type"], plan = keys[desk["type_id"]]
    for shown in desk["fields"]:
        field = plan.field(shown["key"])
        if field.kind is FieldKind.TABLE:
            columns = [column.key.split(".")[1] for column in plan.inside(field.key)]
            line["tables"][field.key] = [
                {column: cell and (cell["normal"] or cell["text"]) for column, cell in zip(columns, row, strict=True)}
                for row in shown["rows"]
            ]
            continue
        value = next((found["normal"] or found["text"] for found in shown["values"]), None)
        if field.data_type is DataType.SIGNATURE:
            value = "signed" if value == "yes" else None
        line["fields"][field.key] = {
            "value": value,
            "confidence": shown["confidence"] or 0.0,
            "passed": shown["hold"] in (None, HoldReason.SPOT_CHECK),
        }
    return line


def post(
    client: Client, workspace: int, folder: Path, papers: Sequence[Truth], kinds: Mapping[str, int]
) -> Iterator[tuple[str, int]]:
    """The live papers, each by its file, when it has come to rest. `kinds` gives the types of those whose type is
    told."""
    sent = []
    for paper in papers:
        file = {"file": (paper["file"], (folder / paper["file"]).read_bytes())}
        data = {"purpose": "live", "workspace_id": str(workspace), "type_id": str(kinds.get(paper["type"], ""))}
        sent.append((paper["file"], client.call("POST", "/documents", files=file, data=data)["document_id"]))
    for name, document in sent:
        client.wait(f"/documents/{document}", lambda view: view["state"] in AT_REST, HOURS)
        yield name, document


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    asked.add_argument("folder", type=Path)
    asked.add_argument("out", type=Path)
    asked.add_argument("--count", type=int, default=25)
    asked.add_argument("--types", nargs="*", default=[])
    asked.add_argument("--given", action="store_true", help="tell the type of each paper that comes in")
    args = asked.parse_args()
    schema = json.loads((args.folder / "schema.json").read_text())["types"]
    papers = [json.loads(line) for line in (args.folder / "truth.jsonl").read_text().split("\n") if line.strip()]
    plans = {name: plan_of(kind) for name, kind in schema.items() if not args.types or name in args.types}
    tests = [paper for paper in papers if paper["type"] in plans and paper["split"].startswith("test")]
    random.Random(1).shuffle(tests)
    started = time.monotonic()

    def said(what: str) -> None:
        print(f"{time.monotonic() - started:7.0f} s  {what}", flush=True)

    with running_office("careful") as office:
        client = Client(office.url, office.signed_in())
        workspace = client.call("POST", "/workspaces", json={"name": "Another hand"})["id"]
        keys = {}
        for name, plan in plans.items():
            its = [paper for paper in papers if paper["type"] == name and paper["split"] == "train"][: args.count]
            keys[learned(client, workspace, args.folder, schema[name]["name"], plan, its)] = name, plan
            said(f"{name}: {len(its)} papers read and labelled")
        trainings = {kind: client.call("POST", f"/types/{kind}/versions")["id"] for kind in keys}
        for kind, version in trainings.items():
            name, _ = keys[kind]
            published(client, kind, version)
            said(f"{name}: trained, published, its thresholds saved")
        states: Counter[str] = Counter()
        with args.out.open("w") as out:
            kinds = {name: kind for kind, (name, _) in keys.items()} if args.given else {}
            for file, document in post(client, workspace, args.folder, tests, kinds):
                line = predicted(client, document, file, keys)
                states[line["state"]] += 1
                out.write(json.dumps(line, ensure_ascii=False) + "\n")
        said(f"{len(tests)} papers came in: " + ", ".join(f"{count} {state}" for state, count in states.items()))


if __name__ == "__main__":
    main()
