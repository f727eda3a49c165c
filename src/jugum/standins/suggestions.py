"""A small suggestion service: answers a plain-language question about a paper with the line, or the value in it, that
the question's words fit best.

It stands in for an outside language service and speaks as one would be asked: `POST /answer` with `question` and
`lines`, answered by `answer`, `line` and `score` (0–1). It keeps nothing. Loopback only.
"""

from __future__ import annotations

import re

from fastapi import FastAPI
from pydantic import BaseModel, Field

from jugum.core.extraction.candidates.around import plain_text
from jugum.core.extraction.candidates.meanings import nearness

WORDS_LEAST = 0.2
_STOP = frozenset(
    (
        "what which who whom when where how much many is are was were the a an of in on to for by does do did it "
        "this that from"
    ).split()
)


class Asked(BaseModel):
    question: str = Field(min_length=1, max_length=600)
    lines: list[str] = Field(max_length=5000)


class Answered(BaseModel):
    """`line` is the line's place from 0; −1 and an empty answer when nothing fits."""

    answer: str
    line: int
    score: float


def best_answer(question: str, lines: list[str]) -> Answered:
    """The line whose words are most of the question's, or near in meaning; of a line "name: value" the value alone."""
    asked = " ".join(word for word in plain_text(question).split() if word not in _STOP)
    if not asked or not lines:
        return Answered(answer="", line=-1, score=0.0)
    plain = [plain_text(line) for line in lines]
    wanted = set(asked.split())
    held = [len(wanted & set(line.split())) / len(wanted) for line in plain]
    near = nearness(plain, [asked])[:, 0]
    scores = [0.6 * words + 0.4 * float(meaning) for words, meaning in zip(held, near, strict=True)]
    best = max(range(len(lines)), key=lambda place: (round(scores[place], 6), -place))
    if scores[best] < WORDS_LEAST:
        return Answered(answer="", line=-1, score=0.0)
    return Answered(answer=_value_in(lines[best]), line=best, score=round(min(1.0, scores[best]), 3))


def _value_in(line: str) -> str:
    name, mark, value = line.partition(":")
    if mark and value.strip() and len(name.split()) <= 6:
        return value.strip()
    told = re.match(r"^[^\d]{3,40}?\s{2,}(?P<value>\S.*)$", line)
    return told["value"].strip() if told else line.strip()


def create_service() -> FastAPI:
    app = FastAPI(title="Suggestion stand-in", docs_url=None, redoc_url=None, openapi_url=None)

    @app.post("/answer")
    def answer(asked: Asked) -> Answered:
        return best_answer(asked.question, asked.lines)

    return app


def run_suggestions(port: int) -> None:
    """Until stopped by a signal."""
    import uvicorn

    uvicorn.run(create_service(), host="127.0.0.1", port=port, log_level="warning")
