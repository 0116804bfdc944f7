"""``python -m firnel``."""

from firnel.app.commands import main

main()
