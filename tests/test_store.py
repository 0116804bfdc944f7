import sqlite3
import threading
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from conftest import make_record
from sqlalchemy import event, inspect, text

from firnel.core.plan import Anchor, Plan, PlannedMove, Targets
from firnel.core.stages import MarkOrderError
from firnel.core.vocabulary import Control, Lot, Mark, MarkKind, Move, Note
from firnel.exchange.lot_tables import read_lots, write_lots
from firnel.store.batch_list import BatchFilter
from firnel.store.copies import check_file, copy_files
from firnel.store.journal import Journal
from firnel.store.library import Library, NotInLibraryError
from firnel.store.locks import LibraryInUseError
from firnel.store.opening import DamagedLibraryError, NewerLibraryError
from firnel.store.tables import HEAD, metadata
from firnel.store.writing import LibraryError, LibraryWriteError
from firnel.work.desk import machine_of_kind


@pytest.fixture
def library(either):
    """Every test of the store runs on a file and on a server."""
    return either


def assert_same(first, second):
    """Two records hold the same, arrays included."""
    for name in ("t", "bean", "air", "quality"):
        np.testing.assert_allclose(getattr(first.trace, name), getattr(second.trace, name), atol=1e-6)
    assert list(first.trace.controls) == list(second.trace.controls)
    for control, series in first.trace.controls.items():
        np.testing.assert_allclose(series, second.trace.control(control), atol=1e-6)
    blank = {"trace": None, "id": None, "label": "", "marks": (), "moves": (), "notes": ()}
    blank |= {"lot_id": None, "machine_id": None, "plan_id": None}
    assert replace(first, **blank) == replace(second, **blank)
    for a, b in zip((*first.marks, *first.moves, *first.notes), (*second.marks, *second.moves, *second.notes), strict=True):
        assert a.t == pytest.approx(b.t, abs=1e-5)
        assert replace(a, t=0.0, **({"bean": None} if isinstance(a, Mark) else {})) == replace(
            b, t=0.0, **({"bean": None} if isinstance(b, Mark) else {})
        )


def test_a_batch_comes_back_as_it_was_added(library, record):
    rich = replace(record, moves=(Move(Control.GAS, 120.0, 2.4),), notes=(Note(300.0, "smell", "hay"),))
    assert_same(library.batch(library.add_record(rich)), rich)


def test_the_tables_are_what_the_migrations_make(library):
    with library.engine.connect() as connection:
        server = connection.dialect.name != "sqlite"
        own = {"ix_batches_search", "ix_batches_words"} if server else set()  # the one for files, the other for servers only
        opts = {"include_object": lambda _thing, name, *_more: name not in own}
        assert compare_metadata(MigrationContext.configure(connection, opts=opts), metadata) == []
        made = {index["name"] for index in inspect(connection).get_indexes("batches")}
        assert ("ix_batches_words" in made) == server, "pg_trgm comes with the tests' server"
    newest = sorted(Path(__file__).parents[1].glob("src/firnel/store/migrations/versions/0*.py"))[-1]
    assert newest.name.startswith(HEAD)


def test_what_no_table_can_hold_is_left_away_when_it_is_kept_and_when_it_is_read(library, tmp_path):
    kept = library.save_lot(Lot("Uganda\x07 Rwebi\x00sho", remark="first\nsecond\x1b \ud800line"))
    assert (kept.name, library.lots()[0].name) == ("Uganda Rwebisho", "Uganda Rwebisho")
    assert library.lots()[0].remark == "first\nsecond line"
    with library.engine.begin() as connection:  # as an older Firnel kept it
        connection.exec_driver_sql("UPDATE lots SET station = 'Up' || CHR(7)" if library.engine.dialect.name != "sqlite"
                                   else "UPDATE lots SET station = 'Up' || CHAR(7)")  # fmt: skip
    assert library.lots()[0].station == "Up"
    write_lots([replace(library.lots()[0], station="Up\x07", remark="")], tmp_path / "lots.xlsx")
    assert read_lots(tmp_path / "lots.xlsx").lots[0].station == "Up"


def test_what_a_server_has_no_room_for_is_refused_in_a_sentence(library):
    if library.engine.dialect.name == "sqlite":
        assert library.save_lot(Lot("Uganda Rwebisho", harvest="x" * 60)).harvest == "x" * 60, "a file has room"
        return
    with pytest.raises(LibraryWriteError, match="longer than the 40 letters"):
        library.save_lot(Lot("Uganda Rwebisho", harvest="x" * 60))
    with pytest.raises(LibraryWriteError, match="A figure is larger"):
        library.save_lot(Lot("Uganda Rwebisho", bags=10**11))
    assert not library.lots()


def test_lots_machines_and_plans_come_back(library):
    lot = library.save_lot(Lot("Uganda Rwebisho", "Uganda", density_g_per_l=698, on_hand_kg=55.0))
    machine = library.save_machine(machine_of_kind("Drum Six", "gas-6", "modbus://127.0.0.1:5020?map=gas-6"))
    plan = Plan("first", "Drum Six", "Uganda Rwebisho", 5.0,
                targets=Targets(200.0, 300, 240, 90, 205.0), start={Control.GAS: 0.0},
                moves=(PlannedMove(Control.GAS, 2.4, Anchor.CHARGE, 45.0),
                       PlannedMove(Control.GAS, 1.4, Anchor.BEAN, at_c=180.0)))  # fmt: skip
    saved = library.save_plan(plan)
    assert library.lots() == [lot]
    assert library.machine("drum") == machine
    assert machine.controls[Control.GAS].least == 0.3
    assert (saved.lot_id, saved.machine_id) == (lot.id, machine.id)
    assert replace(saved, id=None, lot_id=None, machine_id=None) == plan
    assert library.save_lot(Lot("Uganda Rwebisho", "elsewhere")) == lot, "a taken name is that lot"
    with pytest.raises(NotInLibraryError, match="the library has Drum Six"):
        library.machine("Drum Nine")


def test_what_was_read_is_read_again_once_anybody_has_written(library, tmp_path):
    library.save_lot(Lot("Rwanda Isuka", "Rwanda"))
    before = library.stamp
    first = library.lots()
    first.clear()  # what a caller does with its list is its own
    assert [lot.name for lot in library.lots()] == ["Rwanda Isuka"]
    assert library.stamp == before
    if library.path is None:
        assert before is None, "a server is asked each time"
        return
    other = sqlite3.connect(library.path)
    other.execute("UPDATE lots SET name = 'Rwanda Isuka 2'")
    assert [lot.name for lot in library.lots()] == ["Rwanda Isuka"], "nothing was committed yet"
    other.commit()
    other.close()
    assert library.stamp != before
    assert [lot.name for lot in library.lots()] == ["Rwanda Isuka 2"]
    known = library.stamp
    library.path.rename(library.path.with_suffix(".away"))
    assert (library.stamp, library.stamp) == (None, None)
    assert not library.path.exists(), "none is made in its place"
    library.path.with_suffix(".away").rename(library.path)
    assert library.stamp not in (None, known), "a connection anew counts anew: the same number says nothing"


def test_labels_count_on_and_batches_are_found_by_them(library, record):
    assert library.new_batch(None, None, None, None, datetime.now(UTC))[1] == "0001"
    key = library.add_record(replace(record, label="0431"))
    assert library.find_batch("0431") == key
    assert library.new_batch(None, None, None, None, datetime.now(UTC))[1] == "0432"
    with pytest.raises(NotInLibraryError, match="no batch '9999'"):
        library.find_batch("9999")


def test_the_list_is_searched_filtered_and_paged(library, record):
    start = datetime(2026, 5, 1, tzinfo=UTC)
    for number in range(25):
        lot = "Bolivia Cerro Lindal" if number % 5 == 0 else "Rwanda Isuka"
        library.add_record(replace(record, label=f"{number:04d}", lot=lot, started=start + timedelta(days=number)))
    first = library.batch_lines(BatchFilter(), limit=10)
    second = library.batch_lines(BatchFilter(), after=(first[-1].started, first[-1].id), limit=10)
    assert [line.label for line in (*first, *second)] == [f"{n:04d}" for n in range(24, 4, -1)]
    assert library.batch_list.count(BatchFilter(text="lindal drum")) == 5
    assert library.batch_list.count(BatchFilter(text="100%_")) == 0, "wild cards are letters"
    week = BatchFilter(since=start + timedelta(days=3), until=start + timedelta(days=10))
    assert library.batch_list.count(week) == 7
    line = library.batch_lines(BatchFilter(text="0003"))[0]
    assert (line.total_s, line.development_s, line.loss) == (640.0, 100.0, pytest.approx(0.13))


def test_corrected_marks_change_the_list_and_contradictions_leave_it(library, record):
    key = library.add_record(record)
    marks = [mark if mark.kind is not MarkKind.DROP else replace(mark, t=690.0) for mark in record.marks]
    library.set_marks(key, marks)
    assert library.batch_lines(BatchFilter())[0].development_s == 90.0
    with pytest.raises(MarkOrderError):
        library.set_marks(key, [replace(mark, t=10.0) if mark.kind is MarkKind.DROP else mark for mark in marks])
    assert library.batch(key).mark(MarkKind.DROP).t == 690.0


# Opening


@pytest.mark.parametrize("content", [b"PK\x03\x04 not a database", b"\x00" * 4096])
def test_a_file_that_is_no_library_is_refused_and_left_alone(tmp_path, content):
    path = tmp_path / "letters.sqlite"
    path.write_bytes(content)
    with pytest.raises(DamagedLibraryError, match="was left as it is"):
        Library(path)
    assert path.read_bytes() == content
    assert [entry.name for entry in tmp_path.iterdir()] == ["letters.sqlite"]


def test_a_damaged_library_is_refused(tmp_path, record):
    path = tmp_path / "library.sqlite"
    library = Library(path)
    library.add_record(record)
    library.close()
    raw = bytearray(path.read_bytes())
    raw[100:3000] = b"\xff" * 2900
    path.write_bytes(raw)
    with pytest.raises(LibraryError, match=r"damaged|cannot be opened"):
        Library(path)


def test_another_programs_database_is_refused(tmp_path):
    path = tmp_path / "other.sqlite"
    with sqlite3.connect(path) as connection:
        connection.execute("CREATE TABLE invoices (id INTEGER)")
    connection.close()
    with pytest.raises(DamagedLibraryError, match="other tables than Firnel's"):
        Library(path)


def test_a_newer_library_is_refused_in_words_and_a_copy_can_be_made(tmp_path):
    path = tmp_path / "library.sqlite"
    library = Library(path)
    with library.engine.begin() as connection:
        connection.execute(text("UPDATE alembic_version SET version_num = '9999'"))
    library.close()
    before = path.read_bytes()
    with pytest.raises(NewerLibraryError, match="newer Firnel"):
        Library(path)
    assert path.read_bytes() == before
    assert copy_files(path, tmp_path / "copy.sqlite").read_bytes() == before
    with pytest.raises(LibraryError, match="there already"):
        copy_files(path, path)
    assert path.read_bytes() == before, "what a copy that failed leaves is taken away, and never the library"


def test_a_library_locked_by_another_program_says_so(tmp_path, monkeypatch):
    path = tmp_path / "library.sqlite"
    Library(path).close()
    holder = sqlite3.connect(path)
    holder.execute("PRAGMA journal_mode = DELETE")
    holder.execute("BEGIN EXCLUSIVE")
    monkeypatch.setattr("firnel.store.sqlite_file.BUSY_MS", 50)
    with pytest.raises(LibraryError, match="locked by another program"):
        Library(path)
    with pytest.raises(LibraryError, match="cannot be looked at"):  # and is not said to be damaged
        check_file(path, whole=True)
    holder.close()


@pytest.mark.parametrize("name", ["a #1.sqlite", "50%.sqlite", "a%20b.sqlite", "what?.sqlite", "ñandú.sqlite"])
def test_a_library_lies_where_its_name_says_whatever_is_in_the_name(tmp_path, name):
    for _ in range(2):
        library = Library(tmp_path / name)
        library.save_machine(machine_of_kind("Drum Six", "gas-6"))
        assert library.stamp is not None
        library.close()
    assert [path.name for path in tmp_path.iterdir() if path.suffix == ".sqlite"] == [name]


def test_a_second_firnel_on_the_same_library_is_told(tmp_path):
    first, second = Library(tmp_path / "library.sqlite"), Library(tmp_path / "library.sqlite")
    first.lock_for_roasting()
    with pytest.raises(LibraryInUseError, match="Another Firnel"):
        second.lock_for_roasting()
    first.close()
    second.lock_for_roasting()
    second.close()


@pytest.mark.parametrize("where", ["", "nowhere/library.sqlite"])
def test_places_where_no_library_can_be_are_told(tmp_path, where):
    with pytest.raises(LibraryError, match=r"is a folder|does not exist"):
        Library(tmp_path / where)


# The journal


@pytest.fixture
def journal(library):
    key, _ = library.new_batch(None, None, None, 5.0, datetime.now(UTC))
    said: list[str | None] = []
    opened = Journal(library, key, lambda: 1.0, said.append)
    opened.said = said
    yield opened
    opened.close()


def row(t):
    return (t, 200.0 - t, 210.0, {Control.GAS: 2.4, Control.AIRFLOW: 50.0, Control("radiant"): 40.0}, 0)


def test_everything_is_on_disk_within_a_second(library, journal):
    for t in range(5):
        journal.reading(row(float(t)))
    journal.marks([Mark(MarkKind.CHARGE, 3.0, 197.0)])
    journal.moves_and_notes([Move(Control.GAS, 4.0, 2.4)], [Note(4.5, "smell", "hay")])
    journal.status("roasting")
    assert journal.flush(1.0)
    record = library.batch(journal.key)
    assert record.trace.t.tolist() == [0, 1, 2, 3, 4]
    assert (record.marks[0].kind, record.moves[0].to, record.notes[0].text, record.status) == (
        MarkKind.CHARGE,
        2.4,
        "hay",
        "roasting",
    )


def test_a_mark_that_was_undone_is_gone_from_disk(library, journal):
    journal.marks([Mark(MarkKind.CHARGE, 3.0)])
    journal.flush()
    journal.marks([])
    assert journal.flush(1.0)
    assert library.batch(journal.key).marks == ()


@pytest.mark.parametrize("either", ["file"], indirect=True)  # a server tells of its own disk
def test_a_full_disk_loses_nothing_and_says_what_to_do(library, journal):
    def is_full(_conn, cursor, *_):
        cursor.execute(f"PRAGMA max_page_count = {room[0]}")

    room = [1]  # SQLite then answers as it does on a full disk: "database or disk is full"
    event.listen(library.engine, "before_cursor_execute", is_full)
    for t in range(3000):
        journal.reading(row(float(t)))
    assert not journal.flush(1.5)
    assert "is full" in journal.said[-1]
    room[0] = 1_000_000
    assert journal.flush(5.0)
    assert journal.said[-1] is None
    event.remove(library.engine, "before_cursor_execute", is_full)
    assert library.batch(journal.key).trace.t.size == 3000


def test_closing_writes_what_is_left(library):
    key, _ = library.new_batch(None, None, None, 5.0, datetime.now(UTC))
    journal = Journal(library, key, lambda: 1.0, lambda said: None)
    journal.reading(row(1.0))
    assert journal.close()
    assert library.batch(key).trace.t.tolist() == [1.0]
    assert not any(thread.name == "journal" for thread in threading.enumerate())


def test_a_journal_goes_on_where_the_last_one_stopped(library):
    key, _ = library.new_batch(None, None, None, 5.0, datetime.now(UTC))
    for start in (0.0, 10.0):
        journal = Journal(library, key, lambda: 1.0, lambda said: None)
        journal.reading(row(start))
        journal.close()
    assert library.batch(key).trace.t.tolist() == [0.0, 10.0]


def test_make_record_is_a_roast():
    assert make_record().loss == pytest.approx(0.13)


@pytest.mark.parametrize(
    ("library", "words"),
    [("sqlite://", "names no file"), ("sqlite:///:memory:", "names no file"), ("/dev/null", "not a Firnel library")],
)
def test_what_is_no_place_for_a_library_is_refused(library, words):
    with pytest.raises(LibraryError, match=words):
        Library(library)
