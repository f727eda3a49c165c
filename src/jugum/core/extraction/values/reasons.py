"""Why a value was taken, in a few words, from the numbers it was ranked by."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from jugum.core.extraction.candidates.around import CHANNELS
from jugum.core.extraction.candidates.generate import Candidate
from jugum.core.extraction.values.features import FEATURES, NAME_CHANNELS
from jugum.core.extraction.values.similarities import LABEL_CHANNELS

Floats = npt.NDArray[np.float32]
SPEAKS = 0.75  # likeness from which on a sign is worth naming
NEAR = 0.55  # nearness in meaning from which on it is
SHOWN = 40  # letters of a name that are told
_AT = {name: place for place, name in enumerate(FEATURES)}
_WHERE = {
    "left": "left of it",
    "above": "above it",
    "row_head": "at the head of its row",
    "column_head": "at the head of its column",
    "previous": "before it",
    "next": "after it",
    "below": "beneath it",
    "heading": "the heading over it",
    "right": "right of it",
}


def reason(features: Floats, candidate: Candidate) -> str:
    """What spoke most for a candidate: a rule, a printed name, its place among papers of its layout, a name that other
    layouts gave it, a name near in meaning, the look of the value. `features` is its row (len(FEATURES))."""

    def of(name: str) -> float:
        return float(features[_AT[name]])

    if of("rule"):
        return "a rule of the field found it"
    best, channel = max(
        (max(of(f"name_{channel_name}"), 0.9 * of(f"name_words_{channel_name}")), channel_name)
        for channel_name in NAME_CHANNELS
    )
    if best >= SPEAKS:
        return f"{_said(candidate, channel)}; it is a printed name of the field"
    if of("said_around") >= SPEAKS:
        return "words of a name of the field stand near it"
    if of("alike_layout") >= NEAR and of("example_joint") >= SPEAKS:
        return "it is where labelled papers of this layout have it"
    if of("label_like") >= SPEAKS:
        return "a name beside it is the field's name on labelled papers"
    near, channel = max((of(f"meaning_{channel_name}"), channel_name) for channel_name in LABEL_CHANNELS)
    if near >= NEAR:
        return f"{_said(candidate, channel)}, which is near in meaning to a name of the field"
    if of("value_odds") > 0.5:
        return "it looks like the field's values"
    return "no other candidate fits better"


def _said(candidate: Candidate, channel: str) -> str:
    text = candidate.contexts[CHANNELS.index(channel)]
    return f"“{text[:SHOWN]}” is {_WHERE[channel]}"
