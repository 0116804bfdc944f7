"""Where the program begins: without the collector while modules load, for nothing is garbage then.

Looking for it costs a tenth of the start-up time. `loaded` puts it back to work once everything is there.
"""

import gc


def main() -> None:
    """The command line, and with it the window."""
    gc.disable()
    from firnel.app.commands import main as commands

    commands()


def loaded() -> None:
    """Everything is loaded: collect from now on, but never look through what was loaded."""
    gc.freeze()
    gc.enable()
