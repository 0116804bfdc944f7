"""Damaged libraries: a sentence, and the file as it was; or a library that works."""

from __future__ import annotations

import random
import shutil
import sqlite3
from pathlib import Path

from attacks.files import Found
from firnel.core.vocabulary import BatchRecord
from firnel.store.batch_list import BatchFilter
from firnel.store.library import Library
from firnel.work.review.records import LibraryError, refusal_of


def damaged(raw: bytes, rng: random.Random) -> bytes:
    """A library's bytes with one thing done to them."""
    kind = rng.randrange(8)
    if kind == 0:
        return raw[: rng.randrange(len(raw))]
    if kind == 1:
        at = rng.randrange(len(raw))
        return raw[:at] + rng.randbytes(rng.choice((1, 16, 4096, 40_000))) + raw[at:]
    if kind == 2:
        at = 4096 * rng.randrange(max(len(raw) // 4096, 1))
        return raw[:at] + b"\0" * 4096 + raw[at + 4096 :]
    if kind == 3:
        return rng.randbytes(len(raw))
    if kind == 4:
        return raw[:16] + rng.randbytes(84) + raw[100:]
    if kind == 5:
        return raw[:100] + rng.randbytes(3000) + raw[3100:]
    out = bytearray(raw)
    for _ in range(rng.choice((1, 20, 500))):
        out[rng.randrange(len(out))] = rng.randrange(256)
    return bytes(out)


def attack_libraries(folder: Path, record: BatchRecord, count: int, seed: int = 2) -> Found:
    """So many damaged copies of a library, each opened, listed, read and written to."""
    rng, found = random.Random(seed), Found()
    sound = folder / "sound.sqlite"
    library = Library(sound)
    for _ in range(3):
        library.add_record(record)
    library.close()
    with sqlite3.connect(sound) as raw_connection:
        raw_connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    raw_connection.close()
    raw = sound.read_bytes()
    for number in range(count):
        here = folder / f"damaged-{number}"
        here.mkdir()
        path = here / "library.sqlite"
        path.write_bytes(damaged(raw, rng))
        before = path.read_bytes()
        _open(path, record, number, before, found)
        shutil.rmtree(here)
    return found


def _open(path: Path, record: BatchRecord, number: int, before: bytes, found: Found) -> None:
    try:
        library = Library(path)
    except LibraryError as error:
        found.counts["refused"] += 1
        if path.read_bytes() != before:
            found.fail(f"{number}: refused, and yet the file has changed")
        if not str(error) or "\n" in str(error):
            found.fail(f"{number}: no sentence: {str(error)[:80]!r}")
        return
    except Exception as error:
        found.fail(f"{number}: opening: {type(error).__name__}: {str(error)[:100]}")
        return
    try:
        for line in library.batch_lines(BatchFilter()):
            library.batch(line.id)
        library.add_record(record)
        found.counts["works"] += 1
    except Exception as error:
        said = refusal_of(error)
        if said:
            found.counts["told while it was used"] += 1
        else:
            found.fail(f"{number}: {type(error).__name__}: {str(error)[:100]}")
    finally:
        library.close()
