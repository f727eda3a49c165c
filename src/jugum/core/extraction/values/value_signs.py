"""What the candidates of one type are like, taken by themselves, for each of its fields: in shape, letters, words and
meaning, and against the values of the other fields."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from jugum.core.extraction.values.similarities import Examples, ExampleSimilarities
from jugum.core.extraction.values.value_model import LETTER_PLACES, counts_of, telling_log_odds, value_log_odds

Floats = npt.NDArray[np.float32]
Mask = npt.NDArray[np.bool_]
# Log-odds of its shape, of its letters, of what parts the field's values from those of others, all of it and the best
# of it, and nearness in meaning to the field's values.
VALUE_SIGNS = ("value", "letters", "telling", "telling_best", "sense")
PIECES_THAT_TELL = 4  # of a value's words and letters, the strongest


class ValueSigns:
    """The candidates of one value type on a paper (n) against the labelled values of its fields."""

    def __init__(self, against: ExampleSimilarities, examples: Examples) -> None:
        self.against, self.examples = against, examples
        self._shapes = counts_of(against.pieces)
        self._letters = counts_of(against.letters, LETTER_PLACES)
        self._kept: tuple[bytes, dict[str, Floats]] | None = None

    @property
    def nothing(self) -> Floats:
        """What is known of candidates for a field without examples (VALUE_SIGNS × n): nothing."""
        return np.zeros((len(VALUE_SIGNS), len(self.against.pieces)), dtype=np.float32)

    def by_field(self, allowed: Mask) -> dict[str, Floats]:
        """VALUE_SIGNS × n for each field with examples among those `allowed` (a mask over its family). The last asked
        for is kept: all fields ask with the same papers known."""
        if self._kept is None or self._kept[0] != allowed.tobytes():
            keys = self.examples.fields[self.against.family[self.against.own]]
            own = allowed[self.against.own]
            found = {key: self._of_field(own & (keys == key), own & (keys != key)) for key in dict.fromkeys(keys[own])}
            self._kept = allowed.tobytes(), found
        return self._kept[1]

    def _of_field(self, of_field: Mask, of_others: Mask) -> Floats:
        against, examples = self.against, self.examples
        mine, rest = (against.family[against.own[its]] for its in (of_field, of_others))
        letters = (examples.letters[mine], examples.letters[rest], LETTER_PLACES)
        count = len(against.pieces)
        middle = examples.senses[mine].mean(axis=0)
        signs = (
            value_log_odds(against.pieces, examples.pieces[mine], self._shapes, count),
            value_log_odds(against.letters, letters[0], self._letters, count),
            *telling_log_odds(against.letters, *letters, strongest=PIECES_THAT_TELL),
            against.senses @ (middle / max(float(np.linalg.norm(middle)), 1e-6)),
        )
        return np.stack(signs).astype(np.float32)
