"""Train the prior ranker on papers of made-up types and write it where the program finds it, with its figures beside
it.

    .venv/bin/python -m prior.build [types]

Each type is a school of episodes: of its papers some are known (none to nine), the others are asked about, as an
office's first labelled papers would leave it. The rows are those the ranker of a type learns on; so the prior is
what all types have in common.
"""

from __future__ import annotations

import json
import random
import sys
import time
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import lightgbm
import numpy as np

from jugum.core.extraction.values.corpus import Corpus
from jugum.core.extraction.values.features import FEATURES
from prior.papers import kind, paper

SEED = 4_711
PAPERS = 10
EPISODES = 3
TREES, LEAVES, RATE = 250, 31, 0.06
FOLDER = Path(__file__).parents[1] / "src/jugum/core/extraction/data"


def rows_of(seed: int) -> tuple[np.ndarray, np.ndarray, list[tuple[np.ndarray, np.ndarray]]]:
    """Feature rows and their truth of one type, and, for measuring, all candidates of each (paper, field) asked with
    nothing known."""
    rng = random.Random(seed)
    drawn = kind(rng)
    layouts = [n % len(drawn.layouts) for n in range(PAPERS)]
    samples = [
        paper(rng, drawn, drawn.layouts[layout], str(n), slips=rng.choice([0.0, 0.0, 0.02]))
        for n, layout in enumerate(layouts)
    ]
    corpus = Corpus(drawn.plan, samples, groups=layouts)
    draw = np.random.default_rng(seed)
    features, right, asked = [], [], []
    for number in range(PAPERS):
        for episode in range(EPISODES):
            known = np.zeros(PAPERS, dtype=bool)
            count = (0, int(draw.integers(1, 4)), int(draw.integers(3, PAPERS)))[episode]
            pool = [n for n in range(PAPERS) if n != number and (draw.random() < 0.5 or layouts[n] != layouts[number])]
            known[draw.permutation(pool)[:count].astype(int)] = True
            for field in drawn.plan.fields:
                got, truth = corpus.field_rows(number, field, known, draw)
                features.append(got)
                right.append(truth)
        for field in drawn.plan.fields:
            gold = [index for index in corpus.prepared(number).gold[field.key] if index is not None]
            if gold:
                chosen, all_ = corpus.view(number).features(field, np.zeros(PAPERS, dtype=bool))
                asked.append((all_, np.isin(chosen, gold)))
    return np.concatenate(features), np.concatenate(right), asked


def main() -> None:
    types = int(sys.argv[1]) if len(sys.argv) > 1 else 140
    started = time.perf_counter()
    with ProcessPoolExecutor(2) as pool:
        made = list(pool.map(rows_of, range(SEED, SEED + types)))
    held = max(1, types // 8)
    train, test = made[held:], made[:held]
    features, right = np.concatenate([entry[0] for entry in train]), np.concatenate([entry[1] for entry in train])
    booster = lightgbm.train(
        {
            "objective": "binary",
            "num_leaves": LEAVES,
            "learning_rate": RATE,
            "min_data_in_leaf": 40,
            "feature_fraction": 0.6,
            "lambda_l2": 5.0,
            "seed": SEED,
            "deterministic": True,
            "force_row_wise": True,
            "num_threads": 2,
            "verbosity": -1,
        },
        lightgbm.Dataset(features, label=right.astype(np.float32)),
        num_boost_round=TREES,
    )
    hits = [bool(truth[int(booster.predict(all_).argmax())]) for _, _, asked in test for all_, truth in asked]
    text = booster.model_to_string()
    (FOLDER / "prior.txt").write_text(text)
    about = {
        "seed": SEED,
        "types": types,
        "papers_a_type": PAPERS,
        "rows": len(right),
        "features": list(FEATURES),
        "trees": TREES,
        "leaves": LEAVES,
        "right_first_with_nothing_known": round(sum(hits) / len(hits), 4),
        "asked": len(hits),
    }
    (FOLDER / "prior.json").write_text(json.dumps(about, indent=1) + "\n")
    print(f"{len(right)} rows of {types} types, {len(text) / 1e6:.2f} MB, {time.perf_counter() - started:.0f} s")
    print(f"held-out types, nothing known: right first {sum(hits) / len(hits):.3f} of {len(hits)}")


if __name__ == "__main__":
    main()
