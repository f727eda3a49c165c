"""A learned classifier and bundle cutter as one file: JSON and plain arrays (npz). No pickles."""

from __future__ import annotations

import io
import json
from typing import Any

import numpy as np
from scipy import sparse

from jugum.core.classification import Acquaintance, BundleCutter, PlacingEvidence, TypeClassifier
from jugum.core.classification.wording import Wording
from jugum.errors import InputError

# Another format is refused, not guessed at: 1 had another look of pages and other weights of words, 2 did not compare
# where words stand on a page and on the one before it, 3 told no chances of what comes in.
FORMAT = 4


def pack_classifier(classifier: TypeClassifier, cutter: BundleCutter | None) -> bytes:
    """Bytes of an npz archive."""
    head: dict[str, Any] = {
        "format": FORMAT,
        "terms": list(classifier.wording.terms),
        "least": classifier.least,
        "evidence": [
            [row.sample, row.type_id, row.taken_for, round(row.confidence, 5), row.acquaintance]
            for row in classifier.evidence
        ],
    }
    arrays: dict[str, Any] = {
        "idf": classifier.wording.idf.astype("f4"),
        "types": classifier.types,
        "weights": classifier.weights.astype("f4"),
        "bias": classifier.bias,
        "known": np.packbits(classifier.known, axis=1),
        "centre_types": classifier.centre_types,
        "reject": classifier.reject,
        "centres_data": classifier.centres.data.astype("f4"),
        "centres_indices": classifier.centres.indices,
        "centres_indptr": classifier.centres.indptr,
    }
    if cutter is not None:
        head["cut_terms"] = list(cutter.wording.terms)
        arrays |= {
            "cut_idf": cutter.wording.idf.astype("f4"),
            "first": cutter.first.astype("f4"),
            "pair": cutter.pair,
            "lengths": cutter.lengths,
        }
    arrays["head"] = np.frombuffer(json.dumps(head).encode(), dtype=np.uint8)
    buffer = io.BytesIO()
    np.savez_compressed(buffer, **arrays)
    return buffer.getvalue()


def unpack_classifier(data: bytes) -> tuple[TypeClassifier, BundleCutter | None]:
    """The inverse of `pack_classifier`, to single precision. InputError for anything else."""
    try:
        with np.load(io.BytesIO(data), allow_pickle=False) as arrays:
            head = json.loads(bytes(arrays["head"]))
            if head["format"] != FORMAT:
                raise InputError(f"This classifier file has format {head['format']}; format {FORMAT} can be read.")
            return _sorter(head, arrays), _cutter(head, arrays)
    except (ValueError, KeyError, OSError) as error:
        raise InputError("This is not a classifier file of Jugum, or it is damaged.") from error


def _sorter(head: dict[str, Any], arrays: Any) -> TypeClassifier:
    terms = tuple(head["terms"])
    shape = (len(arrays["centre_types"]), len(terms))
    centres = sparse.csr_matrix(
        (arrays["centres_data"].astype(float), arrays["centres_indices"], arrays["centres_indptr"]), shape=shape
    )
    known = np.unpackbits(arrays["known"], axis=1, count=len(terms)).astype(bool)
    return TypeClassifier(
        Wording(terms, arrays["idf"].astype(float)),
        arrays["types"],
        arrays["weights"].astype(float),
        arrays["bias"],
        known,
        centres,
        arrays["centre_types"],
        arrays["reject"],
        float(head["least"]),
        tuple(
            PlacingEvidence(sample, type_id, taken_for, confidence, Acquaintance(knew))
            for sample, type_id, taken_for, confidence, knew in head["evidence"]
        ),
    )


def _cutter(head: dict[str, Any], arrays: Any) -> BundleCutter | None:
    if "cut_terms" not in head:
        return None
    wording = Wording(tuple(head["cut_terms"]), arrays["cut_idf"].astype(float))
    return BundleCutter(wording, arrays["first"].astype(float), arrays["pair"], arrays["lengths"])
