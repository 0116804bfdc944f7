"""``python -m firnel``."""

from firnel.app.start import main

main()
