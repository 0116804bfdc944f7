"""Names that can be read, printed, and kept anywhere."""

from __future__ import annotations

from firnel.core.words import capital, tr

#: The longest name of a lot, a plan, a machine.
LONGEST_NAME = 120


def check_name(what: str, name: str) -> None:
    """Refuse a name that nobody can read.

    Parameters
    ----------
    what : with its article: ``a lot``.
    name : as typed.

    Raises
    ------
    ValueError : with a sentence.

    >>> check_name("a lot", "Rwanda Isuka")
    """
    if not name.strip():
        raise ValueError(tr("{} needs a name.", capital(what)))
    if len(name) > LONGEST_NAME or not name.isprintable():
        raise ValueError(tr("The name of {} has at most {} letters, and none that cannot be seen.", what, LONGEST_NAME))
