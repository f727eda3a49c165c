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
from jugum.core.classification.lookalikes import (
    Layout,
    group_layouts,
    layout_of,
    layout_similarity,
    nearest_group,
    similarity_matrix,
)
from jugum.core.classification.types import (
    LEFT_OUT,
    OTHER,
    Placed,
    TypeClassifier,
    TypeSample,
    fit_type_classifier,
    fit_types,
)

__all__ = [
    "LEFT_OUT",
    "OTHER",
    "SEPARATOR",
    "BundleCutter",
    "Layout",
    "Piece",
    "Placed",
    "TypeClassifier",
    "TypeSample",
    "cut_at",
    "cut_by_blanks",
    "cut_by_count",
    "cut_by_separators",
    "fit_cutter",
    "fit_type_classifier",
    "fit_types",
    "group_layouts",
    "is_blank",
    "is_separator",
    "layout_of",
    "layout_similarity",
    "nearest_group",
    "similarity_matrix",
]
