"""A learned sorter and bundle cutter as one file: JSON and plain arrays (npz). No pickles."""

from __future__ import annotations

import io
import json
from typing import Any

import numpy as np
from scipy import sparse

from jugum.core.classification import BundleCutter, TypeSorter
from jugum.core.classification.wording import Wording
from jugum.errors import InputError

FORMAT = 1


def pack_sorter(sorter: TypeSorter, cutter: BundleCutter | None) -> bytes:
    """Bytes of an npz archive."""
    head: dict[str, Any] = {
        "format": FORMAT,
        "terms": list(sorter.wording.terms),
        "least": sorter.least,
        "figures": sorter.figures,
    }
    arrays: dict[str, Any] = {
        "idf": sorter.wording.idf.astype("f4"), "types": sorter.types, "weights": sorter.weights.astype("f4"), "bias": sorter.bias,
        "known": np.packbits(sorter.known, axis=1), "centre_types": sorter.centre_types, "reject": sorter.reject,
        "centres_data": sorter.centres.data.astype("f4"), "centres_indices": sorter.centres.indices, "centres_indptr": sorter.centres.indptr,
    }  # fmt: skip
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


def unpack_sorter(data: bytes) -> tuple[TypeSorter, BundleCutter | None]:
    """The inverse of `pack_sorter`, to single precision. InputError for anything else."""
    try:
        with np.load(io.BytesIO(data), allow_pickle=False) as arrays:
            head = json.loads(bytes(arrays["head"]))
            if head["format"] != FORMAT:
                raise InputError(f"This sorter has format {head['format']}; format {FORMAT} can be read.")
            return _sorter(head, arrays), _cutter(head, arrays)
    except (ValueError, KeyError, OSError) as error:
        raise InputError("This is no sorter of Jugum, or it is damaged.") from error


def _sorter(head: dict[str, Any], arrays: Any) -> TypeSorter:
    terms = tuple(head["terms"])
    shape = (len(arrays["centre_types"]), len(terms))
    centres = sparse.csr_matrix((arrays["centres_data"].astype(float), arrays["centres_indices"], arrays["centres_indptr"]), shape=shape)  # fmt: skip
    known = np.unpackbits(arrays["known"], axis=1, count=len(terms)).astype(bool)
    return TypeSorter(
        Wording(terms, arrays["idf"].astype(float)), arrays["types"], arrays["weights"].astype(float), arrays["bias"], known, centres,
        arrays["centre_types"], arrays["reject"], float(head["least"]),
        tuple((int(a), int(b), int(n)) for a, b, n in head.get("figures", ())),
    )  # fmt: skip


def _cutter(head: dict[str, Any], arrays: Any) -> BundleCutter | None:
    if "cut_terms" not in head:
        return None
    wording = Wording(tuple(head["cut_terms"]), arrays["cut_idf"].astype(float))
    return BundleCutter(wording, arrays["first"].astype(float), arrays["pair"], arrays["lengths"])
