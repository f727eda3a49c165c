"""Papers of no type in particular, as counts of their words: what a type's papers are told from beside those of an
office's other types. Written where the program finds them.

    .venv/bin/python -m prior.general

They are of the school of the prior ranker, one or two of each of many made-up types, in all its hands. So a word that
any office paper may have speaks for no type, and strangers are known before a workspace has met one.
"""

from __future__ import annotations

import gzip
import json
import random
from pathlib import Path

from jugum.core.classification.types import PAGES_USED
from jugum.core.classification.wording import look_of, terms_of
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
        counts: dict[str, int] = {}
        for page in pages[:PAGES_USED]:
            for term, count in terms_of(page).items():
                counts[term] = counts.get(term, 0) + count
        look = [round(float(each), 3) for each in look_of(pages[0])]
        papers.append({"terms": counts, "look": look})
    text = json.dumps(papers, ensure_ascii=False, separators=(",", ":"), sort_keys=True)
    FILE.write_bytes(gzip.compress(text.encode(), mtime=0))
    print(
        f"{len(papers)} papers, {len({term for one in papers for term in one['terms']})} terms, "
        f"{FILE.stat().st_size / 1000:.0f} kB"
    )


if __name__ == "__main__":
    main()
