"""What an import may say."""

from firnel.core.words import tr


class ImportRefusedError(ValueError):
    """A file that cannot be taken in; the message is one clear sentence for the user."""


class TakenInBeforeError(ImportRefusedError):
    """A log whose readings the library has already.

    Parameters
    ----------
    name, label : of the file, and of the batch that has them.
    """

    def __init__(self, name: str, label: str) -> None:
        super().__init__(tr("{} was taken in before, as batch {}.", name, label))
        self.label = label
