"""Twenty years at fifty batches a day, 300,000, in a file and on a server: first rows, a search, a page far down."""

from datetime import UTC, datetime
from pathlib import Path

import review_list
from report import Line
from server import running

from firnel.store.batch_list import BatchFilter
from firnel.store.library import Library

COUNT, ROWS = 300_000, 60


def looked(library: Library, where: str) -> list[Line]:
    """What a list asks of a library, each as a window waits for it."""
    asked = {
        "first rows": BatchFilter(),
        "search, a common word": BatchFilter(text="isuka"),
        "search, a rare word": BatchFilter(text="299999"),
        "search, a word that is nowhere": BatchFilter(text="no such lot"),
        "one lot of two hundred": BatchFilter(lot_id=library.lots()[7].id),
        "a day of long ago": BatchFilter(since=datetime(2017, 5, 1, tzinfo=UTC), until=datetime(2017, 5, 2, tzinfo=UTC)),
    }
    lines = []
    for what, wanted in asked.items():
        took = review_list.timed(lambda wanted=wanted: library.batch_lines(wanted, limit=ROWS), 5)
        lines.append(Line(f"{where}: {what}", took, "ms", 100.0))
    end = library.batch_lines(BatchFilter(), limit=1, offset=COUNT // 2)[0]
    took = review_list.timed(lambda: library.batch_lines(BatchFilter(), (end.started, end.id), ROWS), 5)
    return [*lines, Line(f"{where}: a page far down", took, "ms", 100.0)]


def run(folder: Path) -> list[Line]:
    review_list.COUNT = COUNT
    lines = []
    with running() as server:
        for where, place in (("file", folder / "library.sqlite"), ("server", server.url(server.new_database()))):
            library = Library(place)
            review_list.fill(library)
            with library.engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
                connection.exec_driver_sql("ANALYZE")  # as either does by itself before long
            lines += looked(library, where)
            library.close()
    return lines
