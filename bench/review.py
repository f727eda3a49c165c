"""Review where much waits and many work: queue, sweep and grid with 20,000 held of 100,000 papers, as ratios to the
health page asked for in the same turns; and twenty reviewers who settle 2,000 fields at once.

    .venv/bin/python -m bench.review [papers=100000] [held=20000] [reviewers=20] [fields=2000]

An office is started for it. One held paper is read and drafted as papers are; the others are copies of its rows with
names, days, layouts and values of their own.
"""

from __future__ import annotations

import asyncio
import statistics
import sys
import time
from collections import Counter, defaultdict
from collections.abc import Callable
from typing import Any

import httpx2
import psycopg
from tests.client import Client, csrf_token
from tests.papers import slip_pdf, slips

from bench.office import Office, running_office

ROUNDS = 10
WARM = 2  # first rounds that are not counted
YARDSTICK = "health (yardstick)"
PASSWORD = "nine lamps in a harbour"
KINDS = 4  # of layouts
Row = dict[str, Any]


# ---- What lies there -------------------------------------------------------------------------------------------------


def first_paper(client: Client) -> tuple[int, int]:
    """A type that is read, and a held paper of it."""
    kind = client.reading_type()
    client.policy(kind, 1.0)
    paper = client.upload(kind, "held.pdf", slip_pdf(slips(1, start=60)[0]), "live")
    client.wait(f"/documents/{paper}", lambda view: view["state"] == "held")
    return kind, paper


def copied(cursor: psycopg.Cursor[Any], table: str, changes: dict[str, str], where: str, numbers: str) -> None:
    """Copy rows of a table for a series of numbers `n`, with some columns changed (SQL expressions)."""
    cursor.execute(
        "SELECT column_name FROM information_schema.columns"
        " WHERE table_schema = 'public' AND table_name = %s AND is_identity = 'NO' AND column_name != 'id'",
        (table,),
    )
    columns = [name for (name,) in cursor.fetchall()]
    chosen = ", ".join(changes.get(name, f"t.{name}") for name in columns)
    names = ", ".join(columns)
    cursor.execute(f"INSERT INTO {table} ({names}) SELECT {chosen} FROM {table} t, {numbers} WHERE {where}")


def said(table: str, column: str) -> str:
    """What a copy says of a field (SQL): a name or an amount of its own, the same day."""
    kind = f"(SELECT f.data_type FROM field f WHERE f.id = {table}.field_id)"
    amount = "(1 + d.id % 400) || ',50'" if column == "text" else "(1 + d.id % 400) || '.50'"
    name = f"{table}.{column} || ' ' || (d.id % 400)"
    return f"CASE {kind} WHEN 'text' THEN {name} WHEN 'money' THEN {amount} ELSE {table}.{column} END"


def fill(office: Office, kind: int, paper: int, papers: int, held: int) -> None:
    """So many papers of the type besides, of which so many are held."""
    with psycopg.connect(office.database()) as connection, connection.cursor() as cursor:
        cursor.execute(
            "INSERT INTO batch (workspace_id, name, note, priority, state)"
            " SELECT workspace_id, 'May ' || n, '', 0, 'running'"
            " FROM document, generate_series(1, 5) n WHERE document.id = %s RETURNING id",
            (paper,),
        )
        batches = [number for (number,) in cursor.fetchall()]
        cursor.execute("SELECT max(id) FROM document")
        (top,) = cursor.fetchone() or (0,)
        copied(
            cursor,
            "document",
            {
                "name": "'paper-' || n || '.pdf'",
                "state": f"CASE WHEN n <= {held} THEN 'held' ELSE 'delivered' END",
                "received_at": "now() - n * interval '7 seconds'",
                "batch_id": f"(ARRAY{batches})[1 + n % 5]",
                "parent_part": "NULL",
            },
            f"t.id = {paper}",
            f"generate_series(1, {papers}) n",
        )
        where = f"t.document_id = {paper} AND d.id > {top} AND d.state = 'held'"
        own = {"document_id": "d.id", "text": said("t", "text"), "normal": said("t", "normal")}
        copied(cursor, "reading", own, where, "document d")
        copied(cursor, "hold", {"document_id": "d.id"}, where, "document d")
        copied(cursor, "page", {"document_id": "d.id"}, f"t.document_id = {paper} AND d.id > {top}", "document d")
        cursor.execute(
            "INSERT INTO result (document_id, field_id, position, text, normal, page, box, confidence, origin)"
            f" SELECT d.id, r.field_id, r.position, {said('r', 'text')}, {said('r', 'normal')}, r.page, r.box,"
            " r.confidence, 'model' FROM reading r, document d"
            f" WHERE r.document_id = {paper} AND d.id > {top} AND d.state = 'delivered'"
        )
        connection.commit()
    with psycopg.connect(office.database(), autocommit=True) as connection:
        connection.execute("ANALYZE")


# ---- How fast it answers ---------------------------------------------------------------------------------------------


def asked_of(client: Client, kind: int, batch: int) -> dict[str, Callable[[], httpx2.Response]]:
    """What is asked, by name."""
    api, base = client.api, f"/api/v1/types/{kind}"
    deep = api.get(f"{base}/queue", params={"limit": 500}).json()["next"]
    sweep = api.get(f"{base}/sweep", params={"field": "amount"}).json()
    screen = sweep["groups"][0]["papers"][:40]
    rows = api.get(f"{base}/grid").json()

    def get(path: str, **params: Any) -> Callable[[], httpx2.Response]:
        return lambda: api.get(path, params=params)

    return {
        YARDSTICK: get("/health"),
        "queue": get(f"{base}/queue"),
        "queue, 500 rows on": get(f"{base}/queue", after=deep),
        "queue of a field": get(f"{base}/queue", field="amount"),
        "queue of a batch": get(f"{base}/queue", batch=batch),
        "queue, name contains": get(f"{base}/queue", text="paper-19"),
        "queue by name": get(f"{base}/queue", sort="name"),
        "queue by fields": get(f"{base}/queue", sort="fields"),
        "the next one": lambda: api.post(f"{base}/queue/claim"),
        "sweep": get(f"{base}/sweep", field="amount"),
        "forty rows of it": lambda: api.post(f"{base}/sweep/amount/take", json={"documents": screen}),
        "grid": get(f"{base}/grid"),
        "grid, next page": get(f"{base}/grid", after=rows["next"]),
        "grid, a value": get(f"{base}/grid", field="amount", value=rows["rows"][0]["cells"][0]["text"][-3:]),
        "the page of the queue": get(f"/types/{kind}/review"),
        "the page of the sweep": get(f"/types/{kind}/review/sweep", field="amount"),
    }


def measure(client: Client, kind: int, batch: int) -> dict[str, list[float]]:
    """Seconds of each, in turns."""
    spent: dict[str, list[float]] = defaultdict(list)
    asked = asked_of(client, kind, batch)
    for number in range(WARM + ROUNDS):
        for name, ask in asked.items():
            begun = time.perf_counter()
            answer = ask()
            assert answer.status_code == 200, f"{name}: {answer.status_code} {answer.text[:300]}"
            if number >= WARM:
                spent[name].append(time.perf_counter() - begun)
    return spent


def told(spent: dict[str, list[float]]) -> None:
    """Print milliseconds and ratios."""
    usual = statistics.median(spent[YARDSTICK])
    print(f"{'':26}{'median ms':>11}{'p95 ms':>9}{'÷ health':>10}")
    for name, its in spent.items():
        middle, slow = statistics.median(its), statistics.quantiles(its, n=20)[-1]
        print(f"{name:26}{1000 * middle:11.0f}{1000 * slow:9.0f}{middle / usual:10.1f}", flush=True)


# ---- Twenty at once --------------------------------------------------------------------------------------------------


def hired(client: Client, count: int) -> list[httpx2.AsyncClient]:
    """So many people who may review everything, each signed in."""
    found = []
    for number in range(count):
        form = {
            "name": f"Reviewer {number}",
            "login": f"reviewer{number}",
            "password": PASSWORD,
            "role": "administrator",
        }
        token = csrf_token(client.api, "/people")
        answer = client.api.post("/people", data={**form, "csrf_token": token})
        assert answer.status_code in (200, 303), answer.text[:300]
        with httpx2.Client(base_url=client.url, timeout=120) as door:
            entered = {"login": form["login"], "password": PASSWORD, "csrf_token": csrf_token(door)}
            assert door.post("/sign-in", data=entered).status_code == 303
            headers = {"X-CSRF-Token": csrf_token(door, "/guide")}
            found.append(httpx2.AsyncClient(base_url=client.url, cookies=door.cookies, headers=headers, timeout=120))
    return found


async def reviewed(
    people: list[httpx2.AsyncClient], kind: int, fields: int
) -> tuple[dict[int, list[tuple[int, str]]], dict[str, list[float]], Counter[str]]:
    """Each takes the next paper and settles what is held on it, until so many fields are settled: (reviewer, field) by
    paper, seconds, and what was no good answer."""
    done: dict[int, list[tuple[int, str]]] = defaultdict(list)
    spent: dict[str, list[float]] = defaultdict(list)
    wrong: Counter[str] = Counter()

    async def timed(name: str, asked: Any) -> Any:
        begun = time.perf_counter()
        answer = await asked
        spent[name].append(time.perf_counter() - begun)
        if answer.status_code != 200:
            wrong[f"{name}: {answer.status_code} {answer.text[:120]}"] += 1
            return None
        return answer.json() if answer.headers["content-type"].startswith("application/json") else answer.text

    async def work(number: int, person: httpx2.AsyncClient) -> None:
        while sum(map(len, done.values())) < fields:
            claimed = await timed("taking the next", person.post(f"/api/v1/types/{kind}/queue/claim"))
            if claimed is None or claimed["document_id"] is None:
                return
            paper = claimed["document_id"]
            desk = await timed("opening the desk", person.get(f"/api/v1/documents/{paper}/review-desk"))
            revision = desk["revision"]
            for field in desk["fields"]:
                if not field["hold"]:
                    continue
                said = {"values": [{"text": value["text"]} for value in field["values"]], "revision": revision}
                path = f"/api/v1/documents/{paper}/review/{field['key']}"
                answer = await timed("settling a field", person.put(path, json=said))
                if answer is not None:
                    revision = answer["revision"]
                    done[paper].append((number, field["key"]))

    async def beat() -> None:
        while sum(map(len, done.values())) < fields:
            await timed(YARDSTICK, people[0].get("/health"))
            await asyncio.sleep(0.1)

    await asyncio.gather(beat(), *(work(number, person) for number, person in enumerate(people)))
    for person in people:
        await person.aclose()
    return done, spent, wrong


def kept(office: Office, done: dict[int, list[tuple[int, str]]]) -> Counter[str]:
    """What is wrong with what the database kept of it."""
    wrong: Counter[str] = Counter()
    with psycopg.connect(office.database()) as connection, connection.cursor() as cursor:
        cursor.execute(
            "SELECT h.document_id, f.key, count(*) FROM hold h JOIN field f ON f.id = h.field_id"
            " WHERE h.settled_by IS NOT NULL AND h.document_id = ANY(%s) GROUP BY 1, 2",
            (list(done),),
        )
        settled = {(paper, key): count for paper, key, count in cursor.fetchall()}
        cursor.execute("SELECT id FROM document WHERE state = 'settled' AND id = ANY(%s)", (list(done),))
        states = {paper for (paper,) in cursor.fetchall()}
    for paper, its in done.items():
        wrong["papers handed to two"] += len({person for person, _ in its}) > 1
        wrong["papers not settled"] += paper not in states
        for _, key in its:
            wrong["fields lost"] += (paper, key) not in settled
            wrong["fields settled twice"] += settled.get((paper, key), 0) > 1
    return wrong


def main() -> bool:
    """Run it and print the figures; whether nothing was lost, and nothing done twice."""
    given = [int(number) for number in sys.argv[1:]]
    papers, held, reviewers, fields = (*given, *(100_000, 20_000, 20, 2_000)[len(given) :])
    with running_office("quick") as office:
        client = Client(office.url, office.signed_in())
        kind, paper = first_paper(client)
        fill(office, kind, paper, papers, held)
        batch = client.call("GET", f"/types/{kind}/queue")["choices"]["batch"][0]["value"]
        print(f"{held:,} held of {papers:,} papers")
        told(measure(client, kind, batch))
        done, spent, wrong = asyncio.run(reviewed(hired(client, reviewers), kind, fields))
        print(f"{reviewers} reviewers settled {sum(map(len, done.values())):,} fields of {len(done):,} papers")
        told(spent)
        wrong += kept(office, done)
        for said, count in wrong.items():
            print(f"  {count} × {said}")
        return not +wrong


if __name__ == "__main__":
    sys.exit(not main())
