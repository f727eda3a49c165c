"""Train the prior ranker on papers of made-up types and write it where the program finds it, with its figures beside
it.

    .venv/bin/python -m prior.build [types]

Each type is a school of episodes: of its papers some are known (none to nine), the others are asked about, as an
office's first labelled papers would leave it. The rows are those the ranker of a type learns on; so the prior is
what all types have in common. It is judged on types that it did not learn from, some of whose layouts are of hands
that no other type has.
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
from prior.forms import FORM_WAYS
from prior.papers import kind, paper
from prior.prose import PROSE_WAYS

SEED = 4_711
PAPERS = 10
EPISODES = 3
TREES, LEAVES, RATE = 250, 31, 0.06
HELD_OUT = 8  # one type in so many is judged on
NEVER_LEARNED = ("across", "minutes")  # hands that only those types have
LEARNED = tuple(way for way in (*FORM_WAYS, *PROSE_WAYS) if way not in NEVER_LEARNED)
Asked = tuple[str, np.ndarray, np.ndarray]  # the way of the layout, features, truth
FOLDER = Path(__file__).parents[1] / "src/jugum/core/extraction/data"


def rows_of(seed: int) -> tuple[np.ndarray, np.ndarray, list[Asked]]:
    """Feature rows and their truth of one type, and, of types to be judged, all candidates of each (paper, field) asked
    with nothing known."""
    rng = random.Random(seed)
    judged = (seed - SEED) % HELD_OUT == 0
    drawn = kind(rng, (*FORM_WAYS, *PROSE_WAYS) if judged else LEARNED)
    layouts = [n % len(drawn.layouts) for n in range(PAPERS)]
    samples = [
        paper(rng, drawn, drawn.layouts[layout], str(n), slips=rng.choice([0.0, 0.0, 0.02]))
        for n, layout in enumerate(layouts)
    ]
    corpus = Corpus(drawn.plan, samples, groups=layouts)
    draw = np.random.default_rng(seed)
    features, right, asked = [], [], []
    for number in range(PAPERS):
        if judged:
            for field in drawn.plan.fields:
                gold = [index for index in corpus.prepared(number).gold[field.key] if index is not None]
                if gold:
                    chosen, every = corpus.view(number).features(field, np.zeros(PAPERS, dtype=bool))
                    asked.append((drawn.layouts[layouts[number]].way, every, np.isin(chosen, gold)))
            continue
        for episode in range(EPISODES):
            known = np.zeros(PAPERS, dtype=bool)
            count = (0, int(draw.integers(1, 4)), int(draw.integers(3, PAPERS)))[episode]
            pool = [n for n in range(PAPERS) if n != number and (draw.random() < 0.5 or layouts[n] != layouts[number])]
            known[draw.permutation(pool)[:count].astype(int)] = True
            for field in drawn.plan.fields:
                got, truth = corpus.field_rows(number, field, known, draw)
                features.append(got)
                right.append(truth)
    if judged:
        return np.zeros((0, len(FEATURES)), dtype=np.float32), np.zeros(0, dtype=bool), asked
    return np.concatenate(features), np.concatenate(right), asked


def right_first(booster: lightgbm.Booster, asked: list[Asked]) -> tuple[int, float]:
    """Of how many values, and in what share the right candidate stands first."""
    hits = [bool(truth[int(booster.predict(every, num_threads=2).argmax())]) for _, every, truth in asked]
    return len(hits), round(sum(hits) / max(1, len(hits)), 4)


def main() -> None:
    types = int(sys.argv[1]) if len(sys.argv) > 1 else 440
    started = time.perf_counter()
    with ProcessPoolExecutor(2) as pool:
        made = list(pool.map(rows_of, range(SEED, SEED + types)))
    asked = [one for _, _, its in made for one in its]
    features, right = np.concatenate([entry[0] for entry in made]), np.concatenate([entry[1] for entry in made])
    del made
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
    judged = {
        "forms": right_first(booster, [one for one in asked if one[0] in FORM_WAYS]),
        "sentences": right_first(booster, [one for one in asked if one[0] in PROSE_WAYS]),
        "hands never learned from": right_first(booster, [one for one in asked if one[0] in NEVER_LEARNED]),
    }
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
        "right_first_with_nothing_known": {name: share for name, (_, share) in judged.items()},
        "asked": {name: count for name, (count, _) in judged.items()},
    }
    (FOLDER / "prior.json").write_text(json.dumps(about, indent=1) + "\n")
    print(f"{len(right)} rows of {types} types, {len(text) / 1e6:.2f} MB, {time.perf_counter() - started:.0f} s")
    for name, (count, share) in judged.items():
        print(f"types not learned from, nothing known, {name}: right first {share:.3f} of {count}")


if __name__ == "__main__":
    main()
