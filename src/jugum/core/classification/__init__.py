"""Types of papers and "none of these", cutting bundles, and which papers look alike."""

from jugum.core.classification.bundles import (
    SEPARATOR,
    BundleCutter,
    Piece,
    cut_at,
    cut_by_blanks,
    cut_by_count,
    cut_by_separators,
    fit_cutter,
    is_blank,
    is_separator,
)
from jugum.core.classification.layout_book import LayoutBook
from jugum.core.classification.lookalikes import Layout, layout_of, layout_similarity
from jugum.core.classification.type_training import fit_type_classifier, fit_types
from jugum.core.classification.types import (
    LEFT_OUT,
    OTHER,
    Acquaintance,
    Placed,
    PlacingEvidence,
    TypeClassifier,
    TypeSample,
)

__all__ = [
    "LEFT_OUT",
    "OTHER",
    "SEPARATOR",
    "Acquaintance",
    "BundleCutter",
    "Layout",
    "LayoutBook",
    "Piece",
    "Placed",
    "PlacingEvidence",
    "TypeClassifier",
    "TypeSample",
    "cut_at",
    "cut_by_blanks",
    "cut_by_count",
    "cut_by_separators",
    "fit_cutter",
    "fit_type_classifier",
    "fit_types",
    "is_blank",
    "is_separator",
    "layout_of",
    "layout_similarity",
]
