"""What an import may say."""


class ImportRefusedError(ValueError):
    """A file that cannot be taken in; the message is one clear sentence for the user."""
