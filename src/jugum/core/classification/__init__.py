"""How alike papers look, and which of them form groups of look-alikes."""

from jugum.core.classification.lookalikes import (
    Layout,
    layout_of,
    layout_similarity,
    look_alike_groups,
    similarity_matrix,
)

__all__ = ["Layout", "layout_of", "layout_similarity", "look_alike_groups", "similarity_matrix"]
