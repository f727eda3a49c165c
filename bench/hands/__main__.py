"""Draw the papers of the three hands, each into a folder that `bench.folder` reads.

.venv/bin/python -m bench.hands FOLDER [--seed 1]
.venv/bin/python -m bench.folder FOLDER/registry --counts 3 5 10 25 50
"""

from __future__ import annotations

import argparse
from pathlib import Path

from bench.hands import counting, notary, registry
from bench.hands.desk import write_folder

HANDS = {"registry": registry, "counting": counting, "notary": notary}


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    asked.add_argument("folder", type=Path)
    asked.add_argument("--seed", type=int, default=1)
    args = asked.parse_args()
    for name, hand in HANDS.items():
        write_folder(args.folder / name, hand, args.seed)


if __name__ == "__main__":
    main()
