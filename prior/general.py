"""Papers of no type in particular, as counts of their words: what a type's papers are told from beside those of an
office's other types. Written where the program finds them.

    .venv/bin/python -m prior.general

They are of the school of the prior ranker, one of each of many made-up types, in all its hands. So a word that
any office paper may have speaks for no type, and strangers are known before a workspace has met one.
"""

from __future__ import annotations

import gzip
import json
import random
from pathlib import Path

from jugum.core.classification.types import features_of
from prior.papers import kind, paper

TYPES = 100
SEED = 9_000
FILE = Path(__file__).parents[1] / "src/jugum/core/classification/data/general.json.gz"


def main() -> None:
    papers = []
    for number in range(TYPES):
        rng = random.Random(SEED + number)
        drawn = kind(rng)
        pages = paper(rng, drawn, rng.choice(drawn.layouts), str(number), slips=rng.choice([0.0, 0.0, 0.02])).pages
        terms, look = features_of(pages)
        papers.append((terms, [round(float(share), 3) for share in look]))
    text = json.dumps(papers, ensure_ascii=False, separators=(",", ":"), sort_keys=True)
    FILE.write_bytes(gzip.compress(text.encode(), mtime=0))
    words = {term for terms, _ in papers for term in terms}
    print(f"{len(papers)} papers, {len(words)} terms, {FILE.stat().st_size / 1000:.0f} kB")


if __name__ == "__main__":
    main()
