"""The guide in the program: all of it, in sections that can be linked and searched."""

from __future__ import annotations

from jugum.web.guide import FILE, found_in_guide, guide, guide_anchor, section_of
from jugum.web.rendering import STEPS


def test_every_heading_of_the_file_is_a_section_with_its_text() -> None:
    headings = [line[3:] for line in FILE.read_text().splitlines() if line.startswith("## ")]
    assert [section.title for section in guide()] == ["The guide", *headings]
    assert len({section.anchor for section in guide()}) == len(guide())
    assert all(section.words for section in guide())


def test_each_step_has_a_section_and_other_pages_the_beginning() -> None:
    assert [guide_anchor(step) for step in STEPS] == list(STEPS)
    assert guide_anchor("") == "the-guide"


def test_sections_are_found_by_all_their_words_headings_first() -> None:
    assert found_in_guide("review")[0].title == "Review"
    assert "Gather" in [section.title for section in found_in_guide("light table bundle")]
    assert found_in_guide("xyzzy") == []


def test_html_in_the_file_is_shown_and_not_run() -> None:
    section = section_of("Odd", "A word <script>alert(1)</script> and `<b>`")
    assert "<script" not in section.html
    assert "&lt;script&gt;" in section.html
