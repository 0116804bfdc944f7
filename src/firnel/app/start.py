"""Where the program begins: without the collector while modules load, for nothing is garbage then.

Looking for it costs a tenth of the start-up time. Once everything is there, `loaded` spares it from being looked through.
"""

import gc
import os
import sys
from functools import partial

from firnel.app.crash import CrashHook, begin_log
from firnel.app.ends import through

#: Of glibc's malloc.h.
M_ARENA_MAX = -8


def main() -> None:
    """The command line, and with it the window."""
    gc.disable()
    small_matrices()
    begin_log()
    CrashHook(partial(print, file=sys.stderr)).install()
    from firnel.app.commands import main as commands

    through(commands)


def small_matrices() -> None:
    """Have linear algebra keep to one thread, before NumPy is loaded: matrices as small as these gain nothing by more.

    With two, a fit of eight batches takes half as much processor time again, and as long by the clock; longer beside others.
    """
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")


def few_arenas() -> None:
    """Have all threads share two arenas of memory, where the C library has them: else each new thread opens one that is kept.

    A batch has a thread of its own for its journal, and forecasts come and go: in a long day that would add up.
    """
    import ctypes

    mallopt = getattr(ctypes.CDLL(None), "mallopt", None)  # of glibc
    if mallopt is not None:
        mallopt(M_ARENA_MAX, 2)


def loaded(window: bool = True) -> None:
    """Everything is loaded: never look through it for garbage. Where there is a window, its `Collector` looks at the rest."""
    gc.freeze()
    if not window:
        gc.enable()
