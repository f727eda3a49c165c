"""The guide in the program: `guide.md` beside this file, section by section."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from markdown_it import MarkdownIt
from markupsafe import Markup

FILE = Path(__file__).parent / "guide.md"


@dataclass(frozen=True)
class GuideSection:
    """A section under a heading of the second level: its address on the page, its heading, its text as HTML, and as
    words to be searched."""

    anchor: str
    title: str
    html: Markup
    words: str


@cache
def guide() -> tuple[GuideSection, ...]:
    """The guide's sections in order, the introduction first. HTML in the file would be shown as it is written, not
    run."""
    first, *rest = re.split(r"^## (.+)$", FILE.read_text(), flags=re.MULTILINE)
    introduction = re.sub(r"^# .+$", "", first, count=1, flags=re.MULTILINE)
    titled = [("The guide", introduction), *zip(rest[::2], rest[1::2], strict=True)]
    return tuple(section_of(title.strip(), text) for title, text in titled)


def section_of(title: str, text: str) -> GuideSection:
    """A section of a heading and its Markdown."""
    html = MarkdownIt("commonmark", {"html": False}).enable("table").render(text)
    anchor = re.sub(r"[^a-z]+", "-", title.lower()).strip("-")
    words = " ".join(re.sub(r"<[^>]+>", " ", html).split())
    return GuideSection(anchor, title, Markup(html), words)


def marked(text: str) -> Markup:
    """A line of Markdown as HTML."""
    return Markup(MarkdownIt("commonmark", {"html": False}).renderInline(text))


def guide_anchor(step: str) -> str:
    """Where the guide speaks of a step; its beginning for what is none."""
    return step if any(section.anchor == step for section in guide()) else "the-guide"


def found_in_guide(words: str, limit: int = 4) -> list[GuideSection]:
    """Sections that have all the words, those with one in their heading first."""
    wanted = words.lower().split()
    has = [section for section in guide() if all(word in f"{section.title} {section.words}".lower() for word in wanted)]
    return sorted(has, key=lambda section: not any(word in section.title.lower() for word in wanted))[:limit]
