"""Finding values: candidates by data type, how they stand to a field, a ranker that learns, and what it decides."""

from jugum.core.extraction.assignment import Choice, Decision, decide
from jugum.core.extraction.candidates import Candidate, candidates_of
from jugum.core.extraction.examples import Sample, SampleLabel
from jugum.core.extraction.model import Extractor, train_extractor
from jugum.core.extraction.placing import Placement, place_value

__all__ = [
    "Candidate",
    "Choice",
    "Decision",
    "Extractor",
    "Placement",
    "Sample",
    "SampleLabel",
    "candidates_of",
    "decide",
    "place_value",
    "train_extractor",
]
