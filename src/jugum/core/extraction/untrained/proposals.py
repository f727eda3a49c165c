"""Fields proposed from one sample: its label–value pairs, tick boxes, tables with headers, sections, signatures and
zone."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass, replace

from rapidfuzz import fuzz

from jugum.core.extraction.candidates.generate import Candidate, PageCandidates, plain_text
from jugum.core.extraction.clauses.sections import sections_of
from jugum.core.extraction.marks import Tick, ticks_of
from jugum.core.extraction.tables.by_heads import column_spans
from jugum.core.page import Box, Page, Segment, Word, segments_in, union
from jugum.core.schema import FieldKind, FieldPlan, Plan, key_from
from jugum.core.structure import Structure, Table, TableCell, pairs_of, read_zones, tables_of
from jugum.core.values import DataType, Option, ValueType, normal_form
from jugum.core.values.contact import parse_country
from jugum.core.values.dates import month_names

SAME_NAME = 88.0  # per cent: a printed name this like one of the plan's is that one
NAME_LETTERS_MAX = 60  # longer texts are no names of fields
_CLEAN = re.compile(r"^[\W\d_]*(?:\d{1,3}\s+)?|[\s:.·_–-]+$")
_MONEY_WORDS = frozenset(
    "amount total sum pay wage salary price cost fee tax income crowns kr gross net balance rate paid due".split()
)
_NAME_WORDS = frozenset(
    "name surname employee employer customer applicant holder payee driver installer company insured".split()
)
_ADDRESS_WORDS = frozenset("address residence street dwelling".split())
_ZONE_PARTS = (
    ("Surname", "surname", DataType.NAME),
    ("Given names", "given_names", DataType.NAME),
    ("Document number", "number", DataType.IDENTIFIER),
    ("Nationality", "nationality", DataType.COUNTRY),
    ("Sex", "sex", DataType.TEXT),
)


_CODE = r"(?=(?:.*\d){4})[A-Z]{1,4}[-/]?\d[\dA-Z/-]{3,}"
_PROSE_KINDS = (
    ValueType(DataType.DATE),
    ValueType(DataType.MONEY),
    ValueType(DataType.IDENTIFIER, pattern=_CODE),
    ValueType(DataType.SPELLED),
    ValueType(DataType.NUMBER),
)
_TIMES = frozenset("years months weeks days hours".split())
SECTION_WORDS_MIN = 15  # shorter sections are lines with a label
PROSE_WORDS = 6  # a piece of a row with more words than this is running text
_PARTY = re.compile(
    r"(?P<who>[A-Z][\w&'’.-]+(?: (?:& )?[A-Z][\w&'’.-]+){1,4}),?(?: of)? [^().;]{0,70}?"
    r"(?:\((?:hereinafter |called )?the [“\"]?(?P<role>[A-Za-z]+)[”\"]?\)|called the (?P<called>[a-z]+))"
)


@dataclass(frozen=True)
class Proposal:
    """A field (with its columns, for a table) that a sample speaks for: where it stands, an example of its value,
    and why."""

    field: FieldPlan
    columns: tuple[FieldPlan, ...]
    page: int
    box: Box
    example: str
    why: str


def proposals(plan: Plan, pages: Sequence[Page], structures: Sequence[Structure | None]) -> list[Proposal]:
    """What a sample proposes beyond a plan's fields, page by page from top to bottom; at most one for a printed
    name."""
    found: list[Proposal] = []
    tables = [(page, table) for page in pages for table in _tables(page, structures[page.number - 1])]
    for page, table in tables:
        if (made := _table(page, table)) is not None:
            found += [made, *_lines(page, table, made)]
    # what a table or zone holds would come again as pairs
    covered = [(one.page, one.box) for one in found if one.columns]
    zones = [_zone(page, zone.box, zone.lines) for page in pages for zone in read_zones(page.words) if zone.box]
    found += [one for group in zones for one in group]
    covered += [(one.page, one.box) for group in zones for one in group]
    ticks = list(_ticks(ticks_of(pages, structures)))
    found += ticks
    # Words on the row of a tick box are captions, not values.
    covered += [(one.page, Box(0.0, one.box.y0 - 0.006, 1.0, one.box.y1 + 0.006)) for one in ticks]
    covered += _headings(pages)
    for page in pages:
        found += [one for one in _pairs(page, structures[page.number - 1]) if not _in_any(one, covered)]
    for page in pages:
        found += [one for one in _prose(page) if not _in_any(one, covered)]
    found += _signatures(pages, structures)
    found += _sections(pages)
    found.sort(key=lambda one: (one.page, one.field.kind is FieldKind.CLAUSE, round(one.box.y0, 2), one.box.x0))
    return _keyed(plan, found)


def _headings(pages: Sequence[Page]) -> list[tuple[int, Box]]:
    """Lines that head a section: what stands under one is not its value."""
    heads = [one.lines[0] for one in sections_of(pages) if one.heading and len(one.text.split()) >= SECTION_WORDS_MIN]
    return [(line.page.number, line.box) for line in heads]


def _keyed(plan: Plan, found: Sequence[Proposal]) -> list[Proposal]:
    """Without what the plan has, without a name twice, and with keys that are free."""
    # Printed names are compared, not keys: a plan may call "Net pay" anything it likes.
    names = [plain_text(name) for one in plan.fields for name in one.names_on_paper]
    taken = {one.key for one in plan.fields}
    called = {one.name for one in plan.fields}
    kept: list[Proposal] = []
    for one in found:
        if one.columns and (one.field.name in called or plain_text(one.field.name) in names):
            # A table under the heading of a field would otherwise be dropped as that field once more.
            one = replace(one, field=replace(one.field, name=f"{one.columns[0].name} table"))
        mine = plain_text(one.field.printed_names[0] if one.field.printed_names else one.field.name)
        if not mine or any(fuzz.ratio(mine, name) >= SAME_NAME for name in names) or one.field.name in called:
            continue
        names.append(mine)
        called.add(one.field.name)
        key = key_from(one.field.name, taken)
        taken.add(key)
        columns: list[FieldPlan] = []
        for column in one.columns:
            own = key_from(column.name, {other.key.split(".", 1)[1] for other in columns})
            columns.append(replace(column, key=f"{key}.{own}", inside=key))
        kept.append(replace(one, field=replace(one.field, key=key), columns=tuple(columns)))
    return kept


def _in_any(one: Proposal, covered: Collection[tuple[int, Box]]) -> bool:
    """Whether a proposal, or its printed name, stands within something that is proposed already."""
    # A long value reaches out of what covers its name, so the name's corner counts too.
    corner = (one.box.x0 + 0.004, one.box.y0 + 0.004)
    return any(page == one.page and (box.contains(*one.box.middle) or box.contains(*corner)) for page, box in covered)


def _clean(text: str) -> str:
    """A printed name as a field's name: `"3 Period begins:"` → `"Period begins"`."""
    plain = re.sub(r"\s+", " ", _CLEAN.sub("", text)).strip()
    return plain[:1].upper() + plain[1:]


def guessed_type(name: str, values: Sequence[str]) -> DataType:
    """The data type that reads all values and fits the printed name best."""
    said = set(plain_text(name).split())
    filled = [value for value in values if value.strip()]
    if not filled:  # an empty column tells nothing
        return DataType.TEXT

    def all_are(kind: DataType) -> bool:
        return all(normal_form(value, kind) is not None for value in filled)

    # From the narrowest type to the widest: nearly every value reads as text, few read as mail addresses.
    if all_are(DataType.EMAIL):
        return DataType.EMAIL
    if all_are(DataType.DATE):
        return DataType.DATE
    if all(re.fullmatch(r"(19|20)\d\d", value.strip()) for value in filled):
        return DataType.NUMBER  # a year
    # a bare number reads as per cent too: the sign decides
    if all("%" in value for value in filled) and all_are(DataType.PERCENT):
        return DataType.PERCENT
    # Any number reads as money: cents, a word such as "total", or a currency sign must speak for it.
    if all_are(DataType.MONEY) and (_has_cents(filled) or said & _MONEY_WORDS or not all_are(DataType.NUMBER)):
        return DataType.MONEY
    if said & {"phone", "telephone", "tel", "mobile", "fax"} and all_are(DataType.PHONE):
        return DataType.PHONE
    # what is called a number is a name made of digits
    if all_are(DataType.NUMBER) and not said & {"number", "no", "id", "code", "reference"}:
        return DataType.NUMBER
    if any(any(map(str.isdigit, value)) for value in filled):
        return DataType.ADDRESS if said & _ADDRESS_WORDS else DataType.IDENTIFIER if _is_code(filled) else DataType.TEXT
    if all(parse_country(value) for value in filled) and said & {
        "country",
        "nationality",
        "citizenship",
        "state",
        "land",
    }:
        return DataType.COUNTRY
    return DataType.NAME if said & _NAME_WORDS else DataType.TEXT


def _has_cents(values: Sequence[str]) -> bool:
    return all(re.search(r"[.,]\d{2}\s*\D{0,4}$", value) for value in values)


def _is_code(values: Sequence[str]) -> bool:
    """Three digits or more, few words, and hardly any letters but in words with digits."""
    return all(
        sum(map(str.isdigit, value)) >= 3
        and len(value.split()) <= 4
        and sum(len(word) for word in value.split() if word.isalpha()) <= 4
        for value in values
    )


# ---- What stands beside a printed name -------------------------------------------------------------------------------


def _pairs(page: Page, structure: Structure | None) -> Iterator[Proposal]:
    aspect = page.width_pt / page.height_pt
    pairs = structure.pairs if structure else tuple(pairs_of(page.words, aspect))
    for pair in pairs:
        name = _clean(pair.label)
        # a sentence with a colon, or a mark
        if sum(map(str.isalpha, name)) < 2 or len(name) > NAME_LETTERS_MAX or len(name.split()) > 6:
            continue
        data_type = guessed_type(name, [pair.value])
        field = FieldPlan("field", name, data_type, (pair.label.strip(" :"),))
        box = union((pair.label_box, pair.value_box))
        yield Proposal(field, (), page.number, box, pair.value, f"“{pair.label.strip(' :')}” is beside “{pair.value}”")


def _ticks(ticks: Sequence[Tick]) -> Iterator[Proposal]:
    """Boxes of one row with a word before them, just one of them ticked, are a choice; all others are tick boxes."""
    rows: dict[tuple[int, int], list[Tick]] = {}
    for tick in ticks:
        if _clean(tick.caption):
            rows.setdefault((tick.page, tick.row), []).append(tick)
    for row in rows.values():
        group = _clean(row[0].group)
        # none or several ticked: each box answers for itself
        if len(row) >= 2 and group and sum(tick.ticked for tick in row) == 1:
            options = tuple(Option(key_from(tick.caption), (tick.caption.strip(),)) for tick in row)
            if len({option.key for option in options}) == len(options):
                field = FieldPlan("field", group, DataType.CHOICE, (row[0].group.strip(" :"),), options=options)
                box = union(tick.box for tick in row)
                example = next(tick.caption for tick in row if tick.ticked)
                yield Proposal(field, (), row[0].page, box, example, f"{len(row)} boxes on one row, one of them ticked")
                continue
        for tick in row:
            field = FieldPlan("field", _clean(tick.caption), DataType.TICK, (tick.caption.strip(),), required=False)
            yield Proposal(field, (), tick.page, tick.box, "ticked" if tick.ticked else "empty", "a tick box")


def _prose(page: Page) -> Iterator[Proposal]:
    """Values in running text: dates, amounts, codes, numbers with a unit behind them; named by the words before
    them, or by their unit. And parties: "X (the customer)", "X, called the client"."""
    parts = PageCandidates(page)
    seen: set[int] = set()
    for kind in _PROSE_KINDS:
        for one in parts.of([kind]):
            home = parts.home[one.first]
            # Short rows are labels with values, which pairs propose better.
            if not one.widest or home.last - home.first < PROSE_WORDS or seen & set(range(one.first, one.last + 1)):
                continue
            made = _in_prose(page, one)
            if made is not None:
                seen |= set(range(one.first, one.last + 1))
                yield made
    yield from _parties(page)


def _in_prose(page: Page, one: Candidate) -> Proposal | None:
    before, unit = _words_before(page.words, one.first), _unit(page.words, one.last)
    counted = one.data_type in (DataType.NUMBER, DataType.SPELLED)
    # "14 days": the unit says what a count is, the words before are often "within"
    name = _clean(unit if counted else before)
    # "one" and "two" stand in any prose; with a time behind them they are terms.
    untold = one.data_type is DataType.SPELLED and unit not in _TIMES
    round_sum = one.data_type is DataType.MONEY and not _has_cents([one.text])
    if not name or untold or round_sum:
        return None
    field = FieldPlan("field", name, one.data_type, (before or unit,), required=False)
    return Proposal(field, (), page.number, one.box, one.text, f"in a sentence, after “{before or unit}”")


def _words_before(words: Sequence[Word], first: int) -> str:
    """Up to three words before a value, back to the last mark that parts."""
    found: list[str] = []
    for index in range(first - 1, max(-1, first - 4), -1):
        if words[index].text[-1] in ".,;:()" or any(map(str.isdigit, words[index].text)):
            break
        found.insert(0, words[index].text)
    return " ".join(found)


def _unit(words: Sequence[Word], last: int) -> str:
    """The word behind a number, if it is a small one of three letters or more: `millimetres`."""
    text = words[last + 1].text.strip(".,;:()") if last + 1 < len(words) else ""
    return text if len(text) >= 3 and text.isalpha() and text.islower() and text not in month_names() else ""


def _parties(page: Page) -> Iterator[Proposal]:
    text, starts = "", []
    for word in page.words:
        starts.append(len(text))
        text += word.text + " "
    for match in _PARTY.finditer(text):
        role = (match["role"] or match["called"]).strip()
        begin, end = match.span("who")
        inside = [word for word, start in zip(page.words, starts, strict=True) if begin <= start < end]
        if inside:
            field = FieldPlan("field", role[:1].upper() + role[1:], DataType.NAME, (f"the {role}",), required=False)
            box = union(word.box for word in inside)
            yield Proposal(field, (), page.number, box, match["who"], f"is called the {role}")


def _signatures(pages: Sequence[Page], structures: Sequence[Structure | None]) -> Iterator[Proposal]:
    for page, structure in zip(pages, structures, strict=True):
        if structure is None:
            continue
        _, segments = segments_in(page.words, page.width_pt / page.height_pt)
        for box in structure.signatures:
            caption = _caption(box, segments)
            name = _clean(caption.text) if caption else ""
            if caption is not None and 2 <= len(name) <= NAME_LETTERS_MAX:
                field = FieldPlan(
                    "field", f"Signature {name[:1].lower()}{name[1:]}", DataType.SIGNATURE, (caption.text,)
                )
                yield Proposal(
                    field, (), page.number, union((box, caption.box)), "signed", f"ink of a pen by “{caption.text}”"
                )


def _caption(ink: Box, segments: Sequence[Segment]) -> Segment | None:
    """The nearest words under a pen's ink, or else left of it."""
    under = [
        segment
        for segment in segments
        if segment.box.x0 < ink.x1 and ink.x0 - 0.08 < segment.box.x1 and -0.01 < segment.box.y0 - ink.y1 + 0.015 < 0.07
    ]
    left = [s for s in segments if s.box.x1 <= ink.x0 and abs(s.box.middle[1] - ink.middle[1]) < 0.02]
    chosen = sorted(under, key=lambda s: s.box.y0) or sorted(left, key=lambda s: -s.box.x1)
    return chosen[0] if chosen else None


def _zone(page: Page, box: Box | None, lines: Sequence[str]) -> list[Proposal]:
    if box is None:
        return []
    text = "\n".join(lines)
    zone = FieldPlan("field", "Machine-readable zone", DataType.ZONE)
    why = "lines of a machine-readable zone (ICAO 9303)"
    made = [Proposal(zone, (), page.number, box, lines[0], why)]
    for name, part, data_type in _ZONE_PARTS:
        expression = f'part(machine_readable_zone, "{part}")'
        field = FieldPlan(
            "field", f"{name} in the zone", data_type, kind=FieldKind.DERIVED, expression=expression, required=False
        )
        made.append(
            Proposal(
                field, (), page.number, box, text.replace("<", " ").split()[0], f"the zone's {part.replace('_', ' ')}"
            )
        )
    for name, part in (("Born", "born"), ("Valid until", "expires")):
        expression = f'zone_date(machine_readable_zone, "{part}")'
        field = FieldPlan(
            "field", f"{name} in the zone", DataType.DATE, kind=FieldKind.DERIVED, expression=expression, required=False
        )
        made.append(Proposal(field, (), page.number, box, part, f"the zone's date: {part}"))
    return made


def _sections(pages: Sequence[Page]) -> Iterator[Proposal]:
    """Numbered or headed sections of at least fifteen words."""
    for section in sections_of(pages):
        words = section.text.split()
        name = _clean(re.sub(r"^(?:§|art(?:icle|\.)?|section|clause)\s*", "", section.heading, flags=re.IGNORECASE))
        if (
            not section.heading
            or len(words) < SECTION_WORDS_MIN + len(section.heading.split())
            or not 2 < len(name) <= NAME_LETTERS_MAX
        ):
            continue
        first = section.lines[0]  # the box shows where it begins, on one page
        boxes = [line.box for line in section.lines if line.page.number == first.page.number]
        field = FieldPlan("field", name, DataType.TEXT, (name,), kind=FieldKind.CLAUSE, required=False)
        yield Proposal(
            field,
            (),
            first.page.number,
            union(boxes),
            " ".join(words[:12]) + " …",
            f"a section headed “{section.heading}”",
        )


# ---- Tables ----------------------------------------------------------------------------------------------------------


def _tables(page: Page, structure: Structure | None) -> Sequence[Table]:
    return structure.tables if structure else tables_of(page.words, (), page.width_pt / page.height_pt)


def _table(page: Page, table: Table) -> Proposal | None:
    """A table whose first row, or the row above it, names its columns; None when nothing does."""
    grid = table.grid()
    head, body = grid[0], grid[1:]
    # heads hold no figures: the first row is one of the body already
    if any(re.search(r"\d", cell) for cell in head) or sum(bool(cell) for cell in head) < 2:
        head, body = _row_above(page, table), grid
    named = [(n, _clean(cell)) for n, cell in enumerate(head) if _clean(cell)]
    if len(named) < 2 or len(body) < 2 or _is_list(table, grid):
        return None
    return table_proposal(page, table.box, [(name, [row[n] for row in body]) for n, name in named])


def _lines(page: Page, table: Table, made: Proposal) -> Iterator[Proposal]:
    """A table's lines as fields of their own: what stands first names it, its value is in the first column of money,
    or else the last of numbers. Only where each line is named, and differently."""
    rows: dict[int, dict[int, TableCell]] = {}
    for cell in table.cells:
        rows.setdefault(cell.row, {})[cell.column] = cell
    column = _money_column(table)
    names = [_clean(row[0].text) for row in rows.values() if 0 in row]
    # lines with equal names could not be told apart on the next paper
    if column is None or len(set(names)) < len(names):
        return
    for row in rows.values():
        head, value = row.get(0), row.get(column)
        name = _clean(head.text) if head else ""
        if (
            head is None
            or value is None
            or normal_form(value.text, DataType.MONEY) is None
            or len(name) < 3
            or len(name) > NAME_LETTERS_MAX
        ):
            continue
        field = FieldPlan("field", name, DataType.MONEY, (head.text,), required=False)
        yield Proposal(field, (), page.number, union((head.box, value.box)), value.text, "a line of the table")


def _money_column(table: Table) -> int | None:
    """The column after the first that holds most amounts with cents; the first of equal ones."""
    counts = dict.fromkeys(range(1, table.columns), 0)
    for cell in table.cells:
        if cell.column in counts and normal_form(cell.text, DataType.MONEY) is not None and _has_cents([cell.text]):
            counts[cell.column] += 1
    best = max(counts, key=lambda n: counts[n], default=None)
    return best if best is not None and counts[best] >= 2 else None


def _is_list(table: Table, grid: Sequence[Sequence[str]]) -> bool:
    """Two columns of which the second holds values of several data types: printed names with their values, no table."""
    if table.columns != 2 or table.ruled:
        return False
    kinds = {guessed_type(row[0], [row[1]]) for row in grid if row[0] and row[1]}
    return len(kinds) > 2  # a real column holds values of one type, read at most as two


def _row_above(page: Page, table: Table) -> list[str]:
    """Words right above a table, by its columns."""
    edges = [
        (min(c.box.x0 for c in table.cells if c.column == n), max(c.box.x1 for c in table.cells if c.column == n))
        for n in range(table.columns)
    ]
    high = min(cell.box.height for cell in table.cells)
    over = [w for w in page.words if 0 <= table.box.y0 - w.box.y1 < 2.2 * max(high, w.box.height)]
    heads = [""] * table.columns
    for word in over:
        fits = [n for n, (x0, x1) in enumerate(edges) if word.box.x1 > x0 - 0.02 and word.box.x0 < x1 + 0.02]
        if fits:
            heads[fits[0]] = f"{heads[fits[0]]} {word.text}".strip()  # heads of two lines grow word by word
    return heads


def table_proposal(page: Page, box: Box, columns: Sequence[tuple[str, Sequence[str]]]) -> Proposal:
    """A table field of columns given by name and example values."""
    names = [name for name, _ in columns]
    table = FieldPlan("table", _table_name(page, box, names), kind=FieldKind.TABLE, required=False)
    made: list[FieldPlan] = []
    for name, values in columns:
        data_type = guessed_type(name, [value for value in values if value.strip()])
        made.append(FieldPlan(f"table.{key_from(name)}", name, data_type, (name,), required=False, inside="table"))
    example = " · ".join(names)
    return Proposal(table, tuple(made), page.number, box, example, f"a table with the heads {example}")


def _table_name(page: Page, box: Box, heads: Sequence[str]) -> str:
    """A short line right above the table, or else its first head with "table"."""
    _, segments = segments_in(page.words, page.width_pt / page.height_pt)
    above = [
        s
        for s in segments
        if s.box.x0 < box.x0 + 0.06 and 0 < box.y0 - s.box.y1 < 0.04 and not re.search(r"\d", s.text)
    ]
    title = _clean(max(above, key=lambda s: s.box.y1).text) if above else ""
    return title if 3 <= len(title) <= 30 else f"{heads[0]} table"


def table_from_region(page: Page, box: Box) -> Proposal | None:
    """A block of text, swept by a person, as a table: its pieces put into columns by where they stand; the first row
    names them if it holds no numbers. None when there are no two columns or no two rows."""
    inside = [word for word in page.words if box.contains(*word.box.middle)]
    if not inside:
        return None
    _, segments = segments_in(inside, page.width_pt / page.height_pt)
    rows: dict[int, list[Segment]] = {}
    for segment in segments:
        rows.setdefault(segment.row, []).append(segment)
    columns = column_spans(list(rows.values()))
    if len(columns) < 2 or len(rows) < 2:
        return None
    grid = [["" for _ in columns] for _ in rows]
    for number, row in enumerate(rows.values()):
        for segment in row:
            place = min(
                range(len(columns)), key=lambda n: abs((columns[n][0] + columns[n][1]) / 2 - segment.box.middle[0])
            )
            grid[number][place] = f"{grid[number][place]} {segment.text}".strip()
    headed = not any(re.search(r"\d", cell) for cell in grid[0]) and sum(bool(cell) for cell in grid[0]) >= 2
    heads = grid[0] if headed else [""] * len(columns)
    names = [_clean(cell) or f"Column {n}" for n, cell in enumerate(heads, 1)]
    body = grid[1:] if headed else grid
    made = table_proposal(page, box, [(name, [row[n] for row in body]) for n, name in enumerate(names)])
    return _keyed(Plan(()), [made])[0]
