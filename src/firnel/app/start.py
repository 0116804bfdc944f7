"""Where the program begins: without the collector while modules load, for nothing is garbage then.

Looking for it costs a tenth of the start-up time. Once everything is there, `loaded` spares it from being looked through.
"""

import gc


def main() -> None:
    """The command line, and with it the window."""
    gc.disable()
    from firnel.app.commands import main as commands

    commands()


def loaded(window: bool = True) -> None:
    """Everything is loaded: never look through it for garbage. Where there is a window, its `Collector` looks at the rest."""
    gc.freeze()
    if not window:
        gc.enable()
