"""The logs of two gas machines that the simulator is not: read as the tests read them."""

import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

from logged import MACHINES, batches_of

__all__ = ["MACHINES", "logs_of"]

logs_of = batches_of
