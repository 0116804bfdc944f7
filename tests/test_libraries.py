"""Opening, migrating, checking, copying and restoring libraries: all or nothing."""

import os
import signal
import sqlite3
import subprocess
import sys
import threading
import time
from datetime import UTC, date, datetime, timedelta

import pytest
from conftest import make_record, older_library

from firnel.core.plan import Plan
from firnel.store import opening
from firnel.store.batch_list import BatchFilter
from firnel.store.copies import check_file, daily_copy, daily_folder
from firnel.store.library import Library
from firnel.store.tables import HEAD
from firnel.work.library_care import LibraryError, back_up, check_library, look_after_a_crash, restore


@pytest.mark.parametrize("version", ["0001", "0002", "0003", "0004"])
def test_an_older_library_is_brought_up_to_date_and_its_copy_kept(tmp_path, version):
    path = tmp_path / "library.sqlite"
    older_library(path, version, Plan("test", load_kg=5.0))
    before = path.read_bytes()
    library = Library(path)
    assert sorted(line.label for line in library.batch_lines(BatchFilter())) == ["0001", "0001-2"], "numbers are single now"
    assert library.batch(1).trace.bean.tolist() == [198.5]
    assert library.new_batch(None, None, None, None, datetime.now(UTC))[1] == "0002"
    library.close()
    copy = tmp_path / f"library-before-{HEAD}.sqlite"
    with sqlite3.connect(copy) as raw:
        assert raw.execute("SELECT version_num FROM alembic_version").fetchone() == (version,)
    raw.close()
    assert len(before) > 4096


@pytest.mark.parametrize("version", ["0001", "0004"])
def test_a_migration_that_fails_midway_changes_nothing_and_can_be_tried_again(tmp_path, version, monkeypatch):
    path = tmp_path / "library.sqlite"
    older_library(path, version, Plan("test", load_kg=5.0))
    monkeypatch.setattr(opening, "_check", lambda *_: 1 / 0)
    for _ in range(2):
        with pytest.raises(ZeroDivisionError):
            Library(path)
    with sqlite3.connect(path) as raw:
        assert raw.execute("SELECT version_num FROM alembic_version").fetchone() == (version,)
    raw.close()
    monkeypatch.undo()
    Library(path).close()
    copies = sorted(entry.name for entry in tmp_path.glob("library-before-*"))
    assert copies == [f"library-before-{HEAD}-2.sqlite", f"library-before-{HEAD}-3.sqlite", f"library-before-{HEAD}.sqlite"], (
        "no try writes over the copy of the one before"
    )


def test_a_queue_of_an_older_library_gets_its_numbers(tmp_path):
    path = tmp_path / "library.sqlite"
    older_library(path, "0004", Plan("test", load_kg=5.0))
    with sqlite3.connect(path) as raw:
        raw.execute("""INSERT INTO house VALUES ('queue', '{"batches": [{"plan": 1, "load_kg": 4.5}, {"plan": 9}]}')""")
        raw.execute(
            "INSERT INTO plan_versions (plan_id, number, saved_at, why, document) "
            "SELECT id, 1, '2026-01-01', '', document FROM plans"
        )
    raw.close()
    library = Library(path)
    assert [(one.number, one.load_kg) for one in library.waiting_book.all()] == [("0002", 4.5)]
    library.close()


def test_tables_of_a_first_start_that_was_cut_short_are_made_anew(tmp_path):
    path = tmp_path / "library.sqlite"
    with sqlite3.connect(path) as raw:  # as an older Firnel, killed in its first second, left it
        raw.execute("CREATE TABLE alembic_version (version_num VARCHAR(32))")
        raw.execute("CREATE TABLE lots (id INTEGER PRIMARY KEY, name VARCHAR(200))")
    raw.close()
    library = Library(path)
    library.add_record(make_record())
    library.close()


def test_many_first_starts_at_once_all_open(tmp_path):
    path, opened, failed = tmp_path / "library.sqlite", [], []

    def start():
        try:
            opened.append(Library(path))
        except LibraryError as error:
            failed.append(error)

    threads = [threading.Thread(target=start) for _ in range(5)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert not failed, failed
    assert len({library.identity for library in opened}) == 1
    for library in opened:
        library.close()


def test_a_start_after_a_crash_looks_and_a_clean_one_does_not(tmp_path):
    path = tmp_path / "library.sqlite"
    library = Library(path)
    library.lock_for_roasting()
    assert library.left_cleanly
    library.close()
    code = (
        f"from firnel.store.library import Library; import os; l = Library({str(path)!r}); l.lock_for_roasting(); os._exit(9)"
    )
    subprocess.run([sys.executable, "-c", code], check=False)
    again = Library(path)
    again.lock_for_roasting()
    assert not again.left_cleanly
    assert look_after_a_crash(again) == ""
    again.close()


def test_damage_is_found_and_a_backup_brought_back(tmp_path):
    path, copy = tmp_path / "library.sqlite", tmp_path / "copy.sqlite"
    library = Library(path)
    for _ in range(8):
        library.add_record(make_record())
    back_up(path, copy)
    library.close()
    with pytest.raises(LibraryError, match="is there already"):
        back_up(path, copy)
    raw = bytearray(path.read_bytes())
    raw[8192:40000] = os.urandom(40000 - 8192)
    path.write_bytes(raw)
    assert check_library(path)
    kept = restore(copy, path)
    assert kept is not None
    assert kept.read_bytes() == raw, "what was there is kept as it was"
    assert check_library(path) == ()
    library = Library(path)
    assert library.batch_list.count(BatchFilter()) == 8
    with pytest.raises(LibraryError, match="no sound library"):
        restore(kept, path)
    library.close()


def test_nothing_is_restored_over_a_batch_that_is_being_recorded(tmp_path):
    path, copy = tmp_path / "library.sqlite", tmp_path / "copy.sqlite"
    code = (
        "import sys, time; from datetime import datetime, UTC; from firnel.store.library import Library;"
        "from firnel.store.journal import Journal; l = Library(sys.argv[1]);"
        "j = Journal(l, {'started': datetime.now(UTC), 'status': 'roasting'}, lambda: 1.0, print);"
        "print('ready', flush=True); time.sleep(60)"
    )
    other = subprocess.Popen([sys.executable, "-c", code, str(path)], stdout=subprocess.PIPE, text=True)
    assert other.stdout.readline() == "ready\n"
    back_up(path, copy)
    with pytest.raises(LibraryError, match="being recorded"):
        restore(copy, path)
    other.kill()
    other.wait()
    other.stdout.close()
    assert restore(copy, path) is not None


def test_a_copy_a_day_is_kept_for_a_fortnight(tmp_path):
    path = tmp_path / "library.sqlite"
    Library(path).close()
    first = date(2026, 11, 1)
    made = [daily_copy(path, first + timedelta(days=day)) for day in range(20)]
    assert all(made)
    assert daily_copy(path, first + timedelta(days=19)) is None, "one a day"
    kept = sorted(entry.name for entry in daily_folder(path).iterdir())
    assert kept == [f"library-{first + timedelta(days=day)}.sqlite" for day in range(6, 20)]
    assert check_file(daily_folder(path) / kept[0], whole=True) == []


def test_an_import_that_is_killed_leaves_nothing_of_itself(tmp_path):
    path = tmp_path / "library.sqlite"
    Library(path).close()
    code = (
        "import sys; sys.path.insert(0, sys.argv[2]); from conftest import make_record;"
        "from firnel.store.library import Library;"
        "l = Library(sys.argv[1]); r = make_record(label='', step=0.05); print('go', flush=True)\nwhile True: l.add_record(r)"
    )
    here = os.path.dirname(__file__)
    other = subprocess.Popen([sys.executable, "-c", code, str(path), here], stdout=subprocess.PIPE, text=True)
    other.stdout.readline()
    time.sleep(0.7)
    other.send_signal(signal.SIGKILL)
    other.wait()
    other.stdout.close()
    library = Library(path)
    size = make_record(step=0.05).trace.t.size
    assert all(library.batch(line.id).trace.t.size == size for line in library.batch_lines(BatchFilter()))
    library.close()
    assert check_file(path, whole=True) == []
