"""Fields proposed from one sample: its label–value pairs, tick boxes, tables with headers, sections, signatures and
zone."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Sequence

from jugum.core.extraction.candidates.generate import Candidate, PageCandidates
from jugum.core.extraction.clauses.sections import sections_of
from jugum.core.extraction.ticks import Tick, ticks_of
from jugum.core.extraction.untrained.guesses import NAME_LETTERS_MAX, Proposal, clean, guessed_type, has_cents, keyed
from jugum.core.extraction.untrained.proposed_tables import lines_of, table_of, tables_on
from jugum.core.page import Box, Page, Segment, Word, segments_in, union
from jugum.core.schema import FieldKind, FieldPlan, Plan, key_from
from jugum.core.structure import Structure, pairs_of, read_zones
from jugum.core.values import DataType, Option, ValueType
from jugum.core.values.dates import month_names

_ZONE_PARTS = (
    ("Surname", "surname", DataType.NAME),
    ("Given names", "given_names", DataType.NAME),
    ("Document number", "number", DataType.IDENTIFIER),
    ("Nationality", "nationality", DataType.COUNTRY),
    ("Sex", "sex", DataType.TEXT),
)


_CODE = r"[A-Z]{1,4}[-/]?\d(?:[A-Z/-]*\d){3,}[A-Z/-]*"  # with four digits or more
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


_SIGNED = re.compile(r"\b(sign|firma|unter(schrift|zeichnet)|unders?krift|podpis)", re.IGNORECASE)


def proposals(plan: Plan, pages: Sequence[Page], structures: Sequence[Structure | None]) -> list[Proposal]:
    """What a sample proposes beyond a plan's fields, page by page from top to bottom; at most one for a printed
    name."""
    found: list[Proposal] = []
    layers = list(zip(pages, structures, strict=True))
    tables = [(page, table) for page, structure in layers for table in tables_on(page, structure)]
    for page, table in tables:
        if (made := table_of(page, table)) is not None:
            found += [made, *lines_of(page, table, made)]
    # what a table or zone holds would come again as pairs
    covered = [(proposal.page, proposal.box) for proposal in found if proposal.columns]
    zones = [_zone(page, zone.box, zone.lines) for page in pages for zone in read_zones(page.words) if zone.box]
    found += [proposal for group in zones for proposal in group]
    covered += [(proposal.page, proposal.box) for group in zones for proposal in group]
    ticks = list(_ticks(ticks_of(pages, structures)))
    found += ticks
    # Words on the row of a tick box are captions, not values.
    covered += [(tick.page, Box(0.0, tick.box.y0 - 0.006, 1.0, tick.box.y1 + 0.006)) for tick in ticks]
    covered += _headings(pages)
    for page, structure in layers:
        found += [pair for pair in _pairs(page, structure) if not _in_any(pair, covered)]
    for page in pages:
        found += [proposal for proposal in _prose(page) if not _in_any(proposal, covered)]
    found += _signatures(pages, structures)
    found += _sections(pages)
    found.sort(key=lambda one: (one.page, one.field.kind is FieldKind.CLAUSE, round(one.box.y0, 2), one.box.x0))
    return keyed(plan, found)


def _headings(pages: Sequence[Page]) -> list[tuple[int, Box]]:
    """Lines that head a section: what stands under one is not its value."""
    heads = [
        section.lines[0]
        for section in sections_of(pages)
        if section.heading and len(section.text.split()) >= SECTION_WORDS_MIN
    ]
    return [(line.page.number, line.box) for line in heads]


def _in_any(one: Proposal, covered: Collection[tuple[int, Box]]) -> bool:
    """Whether a proposal, or its printed name, stands within something that is proposed already."""
    # A long value reaches out of what covers its name, so the name's corner counts too.
    corner = (one.box.x0 + 0.004, one.box.y0 + 0.004)
    return any(page == one.page and (box.contains(*one.box.middle) or box.contains(*corner)) for page, box in covered)


# ---- What stands beside a printed name -------------------------------------------------------------------------------


def _pairs(page: Page, structure: Structure | None) -> Iterator[Proposal]:
    aspect = page.width_pt / page.height_pt
    pairs = structure.pairs if structure else tuple(pairs_of(page.words, aspect))
    for pair in pairs:
        name = clean(pair.label)
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
        if clean(tick.caption):
            rows.setdefault((tick.page, tick.row), []).append(tick)
    for row in rows.values():
        group = clean(row[0].group)
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
            field = FieldPlan("field", clean(tick.caption), DataType.TICK, (tick.caption.strip(),), required=False)
            yield Proposal(field, (), tick.page, tick.box, "ticked" if tick.ticked else "empty", "a tick box")


def _prose(page: Page) -> Iterator[Proposal]:
    """Values in running text: dates, amounts, codes, numbers with a unit behind them; named by the words before
    them, or by their unit. And parties: "X (the customer)", "X, called the client"."""
    parts = PageCandidates(page)
    seen: set[int] = set()
    for kind in _PROSE_KINDS:
        for candidate in parts.of([kind]):
            home = parts.home[candidate.first]
            # Short rows are labels with values, which pairs propose better.
            if (
                not candidate.widest
                or home.last - home.first < PROSE_WORDS
                or seen & set(range(candidate.first, candidate.last + 1))
            ):
                continue
            made = _in_prose(page, candidate)
            if made is not None:
                seen |= set(range(candidate.first, candidate.last + 1))
                yield made
    yield from _parties(page)


def _in_prose(page: Page, one: Candidate) -> Proposal | None:
    before, unit = _words_before(page.words, one.first), _unit(page.words, one.last)
    counted = one.data_type in (DataType.NUMBER, DataType.SPELLED)
    # "14 days": the unit says what a count is, the words before are often "within"
    name = clean(unit if counted else before)
    # "one" and "two" stand in any prose; with a time behind them they are terms.
    untold = one.data_type is DataType.SPELLED and unit not in _TIMES
    round_sum = one.data_type is DataType.MONEY and not has_cents([one.text])
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
            name = clean(caption.text) if caption else ""
            if caption is not None and 2 <= len(name) <= NAME_LETTERS_MAX:
                # "The tenant" is who signs; "Signature of the tenant" says it all.
                called = name if _SIGNED.search(name) else f"Signature {name[:1].lower()}{name[1:]}"
                field = FieldPlan("field", called, DataType.SIGNATURE, (caption.text,))
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
        name = clean(re.sub(r"^(?:§|art(?:icle|\.)?|section|clause)\s*", "", section.heading, flags=re.IGNORECASE))
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
