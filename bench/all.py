"""Run every bench and print its ratios: ``./run bench``, or ``./run bench rate_of_rise`` for one."""

import importlib
import sys
import tempfile
from pathlib import Path

from firnel.app.start import small_matrices

BENCHES = (
    "start_up",
    "latency",
    "looks",
    "review_list",
    "rate_of_rise",
    "mark_finding",
    "by_curve",
    "events",
    "model",
    "left_out",
    "first_days",
    "first_batches",
)
BENCHES += (
    "machines",
    "odd",
    "new_lots",
    "plan",
    "guided",
    "answers",
    "rough_hands",
    "causes",
    "review",
    "recovery",
    "day",
    "planning",
    "stations",
    "twenty_years",
    "attack",
    "soak",
)


def main() -> int:
    small_matrices()  # as the program itself
    here = Path(__file__).parent
    sys.path[:0] = [str(here), str(here.parent / "tests")]  # what the tests make traces and logs of serves here too
    wanted = sys.argv[1:] or BENCHES
    missed = 0
    for name in wanted:
        print(f"\n== {name}")
        with tempfile.TemporaryDirectory() as folder:
            missed += sum(not line.met for line in importlib.import_module(name).run(Path(folder)))
    print(f"\n{'every figure is reached' if not missed else f'{missed} figures are missed'}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
