"""The logs of seven machines that the simulator is not: read as the tests read them."""

import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

from logged import MACHINES, batches_of, record_of

from firnel.core.model import drums

__all__ = ["MACHINES", "leave_out", "logs_of", "record_of"]

logs_of = batches_of
_ALL = dict(drums.DRUMS)


def leave_out(name: str) -> None:
    """A machine that is judged teaches nothing of what is known of drums beforehand."""
    drums.DRUMS = {other: row for other, row in _ALL.items() if other != name}
