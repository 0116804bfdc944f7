"""What is recorded is never dropped: the journal on a disk that refuses, the spill, and what is found again."""

import errno
import json
import logging
import resource
import stat
import threading
import time
from datetime import UTC, datetime

import numpy as np
import pytest
from conftest import make_record, press
from made import reading
from PyQt6.QtWidgets import QDialog
from sqlalchemy import event, update

from firnel.app.first import make_application
from firnel.app.window import make_window
from firnel.core.vocabulary import Control, Found, Lot, Mark, MarkKind, Move
from firnel.devices.clock import Clock
from firnel.store.batch_list import BatchFilter
from firnel.store.copies import check_file, copy_database
from firnel.store.journal import Journal, TakenOverError
from firnel.store.library import Library
from firnel.store.locks import Owner
from firnel.store.recovery import recover
from firnel.store.spill import Spill, refuges, spilled_in
from firnel.store.tables import batches
from firnel.store.writing import LibraryError, LibraryGoneError, LibraryWriteError, writing
from firnel.ui import unfinished
from firnel.ui.shared.questions import Question
from firnel.ui.theme.look import Look
from firnel.work.bench.results import Results
from firnel.work.desk import Desk, machine_of_kind
from firnel.work.roast.batch_order import BatchOrder
from firnel.work.roast.lookout import not_at_all
from firnel.work.roast.session import RoastSession
from firnel.work.settings import Settings
from firnel.work.spilled import recover_spilled

NOBODY = "elsewhere/1@0"


@pytest.fixture
def full(library):
    """Fills the disk under the library, as SQLite tells it, and clears it again."""
    state = {"full": False}

    def before(_connection, cursor, *_rest):
        pages = cursor.execute("PRAGMA page_count").fetchone()[0]
        cursor.execute(f"PRAGMA max_page_count = {pages if state['full'] else 1_000_000}")

    event.listen(library.engine, "before_cursor_execute", before)

    def set_full(on):
        state["full"] = on

    yield set_full
    state["full"] = False


@pytest.fixture
def spill(library, tmp_path):
    return Spill(tmp_path / "beside", library.identity, "the library", NOBODY)


def begun(library, **more):
    return {"load_kg": 5.0, "started": datetime.now(UTC), "status": "ready", **more}


def row(t):
    return (t, 200.0 - t, 210.0, {Control.GAS: 2.4, Control.AIRFLOW: 50.0, Control("radiant"): 40.0}, 0)


def test_a_journal_goes_on_trying_after_it_was_closed_until_all_is_written(library, full, spill):
    journal = Journal(library, begun(library), lambda: 1.0, lambda said: None, spill)
    full(True)
    for t in range(800):
        journal.reading(row(float(t)))
    journal.status("dropped")
    assert not journal.close(0.8), "what is not written is not called so"
    assert list(spill.folder.glob("*.spill.json")), "it lies beside the settings meanwhile"
    full(False)
    assert journal.close(10.0)
    assert library.batch(journal.key).trace.t.size == 800
    assert not list(spill.folder.glob("*.spill.json")), "and no longer once the library has it"


def test_what_comes_while_the_library_takes_the_rest_leaves_no_spill(library, full, spill, monkeypatch):
    journal = Journal(library, begun(library), lambda: 1.0, lambda said: None, spill)
    full(True)
    for t in range(800):
        journal.reading(row(float(t)))
    while not list(spill.folder.glob("*.spill.json")):
        assert not journal.flush(0.05), "the disk is full"
    write = Journal._write

    def meanwhile(self, pending):
        write(self, pending)
        if not came:
            came.append(True)
            journal.reading(row(800.0))  # the hand goes on while the disk takes what waited

    came = []
    monkeypatch.setattr(Journal, "_write", meanwhile)
    full(False)
    assert journal.flush(20.0)
    assert journal.close(10.0)
    assert library.batch(journal.key).trace.t.size == 801
    assert not list(spill.folder.glob("*.spill.json")), "nothing is told at the next start that is not so"


def test_a_batch_begun_on_a_full_disk_gets_its_number_when_there_is_room(library, full, spill):
    full(True)
    said = []
    journal = Journal(library, begun(library, remark="x" * 9000), lambda: 1.0, said.append, spill)
    assert journal.key is None
    assert "is full" in said[0]
    journal.reading(row(0.0))
    full(False)
    assert journal.flush(10.0)
    assert journal.label == "0001"
    assert library.batch(journal.key).trace.t.tolist() == [0.0]
    journal.close()


def test_what_was_left_on_a_full_disk_is_found_at_the_next_start(library, full, spill, tmp_path):
    now, record = [0.0], make_record()
    session = RoastSession(library, Clock(lambda: now[0]), spill=spill)
    machine = library.save_machine(machine_of_kind("Drum Six", "gas-6"))
    session.set_machine(machine)
    session.prepare(BatchOrder(None, machine, None, 5.0))
    session.flush()
    full(True)
    trace = record.trace
    for index in range(705):
        now[0] = float(index)
        session.take_reading(reading(now[0], float(trace.bean[index]), 220.0, float(trace.control(Control.GAS)[index])))
        for kind, at in ((MarkKind.CHARGE, 61), (MarkKind.YELLOW, 340), (MarkKind.FIRST_CRACK, 600), (MarkKind.DROP, 700)):
            if index == at and kind not in session.marks:
                session.mark(kind, now[0])
    session.weigh(Results(4.31, 66.0, None, "good"))
    assert "not in the library yet" in session.message
    left = session.leave()
    assert "brought in at the next start" in left
    assert str(spill.folder) in left
    full(False)
    assert recover(library, tmp_path / "beside", 0.0) == ["Batch 0001: what the library would not take before is in it now."]
    kept = library.batch(library.find_batch("0001"))
    assert (kept.trace.t.size, kept.roasted_kg, kept.status) == (705, 4.31, "done")
    assert {MarkKind.CHARGE, MarkKind.YELLOW, MarkKind.FIRST_CRACK, MarkKind.DROP} <= {mark.kind for mark in kept.marks}
    assert any(move.control == Control.GAS for move in kept.moves)
    assert recover(library, tmp_path / "beside", 0.0) == [], "only once"


GONE = Owner(Owner.here().station, 1, "x")  #: an earlier run, which is over


def started_on_a_full_disk(qtbot, library, journal, full, spill):
    """A window, after a batch whose 800 readings found no room any more."""
    full(True)
    journal.status("roasting")
    for t in range(800):
        journal.reading(row(float(t)))
    while not list(spill.folder.glob("*.spill.json")):
        assert not journal.flush(0.05)
    journal.leave()
    window = make_window(library, Settings(), Look(make_application()), keep=lambda settings: None, spill_at=spill.folder)
    qtbot.addWidget(window, before_close_func=lambda w: w.desk.session.close())
    window.show()
    assert "still" in window.bring_in()[0]
    window.offer_unfinished()
    return window


@pytest.mark.parametrize("other", [False, True], ids=["alone", "beside another batch"])
def test_going_on_is_asked_again_until_the_disk_has_room_and_nothing_spilled_is_missing(qtbot, library, full, spill, other):
    journal = Journal(library, begun(library, status="roasting"), lambda: 1.0, lambda said: None, spill, GONE)
    window = started_on_a_full_disk(qtbot, library, journal, full, spill)
    for _ in range(2):
        press(qtbot, window.notice, "Go on with it")
        assert "is full" in window.desk.session.message
        assert window.notice.isVisible(), "it is asked again"
        assert not window.desk.session.recording
    full(False)
    if other:  # begun before it was answered
        window.desk.session.prepare(BatchOrder(None, library.save_machine(machine_of_kind("Drum Six", "gas-6")), None, 5.0))
    press(qtbot, window.notice, "Go on with it")
    assert not window.notice.isVisible()
    assert window.desk.session.recording
    assert len(window.desk.session.trace) == 800
    assert not list(spill.folder.glob("*.spill.json"))


def test_a_batch_charged_on_a_full_disk_is_offered_as_soon_as_there_is_room(qtbot, library, full, spill, monkeypatch):
    monkeypatch.setattr(unfinished, "AGAIN_MS", 20)
    journal = Journal(library, begun(library), lambda: 1.0, lambda said: None, spill, GONE)
    journal.flush(10.0)
    window = started_on_a_full_disk(qtbot, library, journal, full, spill)
    assert not window.notice.isVisible(), "in the library it only waits for its charge"
    tried = window.desk.recover
    monkeypatch.setattr(
        window.desk, "recover", lambda: (tried(), time.sleep(0.2))[0]
    )  # a slow disk: far longer than between two tries
    full(False)
    qtbot.waitUntil(window.notice.isVisible)
    assert "is in it now" in window.desk.session.message
    press(qtbot, window.notice, "Go on with it")
    assert len(window.desk.session.trace) == 800


def test_a_spill_of_another_library_or_of_one_at_work_is_left_alone(library, spill, tmp_path):
    journal = Journal(library, begun(library), lambda: 1.0, lambda said: None)
    journal.close()
    from firnel.store.pending import Pending

    Spill(spill.folder, "another one", "there", NOBODY).keep("t1", 1, "0001", 0, Pending(rows=(row(1.0),)))
    alive = Owner.here()
    other = Owner(alive.station, 1, "x")
    Spill(spill.folder, library.identity, "here", Owner(alive.station, 1, str(_begun_of_init())).text).keep(
        "t2", journal.key, "0001", 0, Pending(rows=(row(2.0),))
    )
    assert recover(library, spill.folder, 0.0) == []
    assert len(list(spill.folder.glob("*.spill.json"))) == 2
    assert not other.alive(None, 0.0), "a number of a process that is used again is told apart"


def _begun_of_init():
    from firnel.store.locks import _begun

    return _begun(1)


def test_where_the_spills_own_disk_is_full_the_room_that_was_held_is_given_up(spill, monkeypatch):
    from firnel.store.pending import Pending

    spill.hold_room()
    reserve, put = spill.folder / "reserve", Spill._put
    assert reserve.stat().st_size >= 2_000_000

    def fills(self, folder, token, text):
        if reserve.exists():
            raise OSError(errno.ENOSPC, "No space left on device")
        put(self, folder, token, text)

    monkeypatch.setattr(Spill, "_put", fills)
    assert spill.keep("t", 1, "0001", 0, Pending(rows=(row(1.0),)))
    assert not reserve.exists()
    monkeypatch.setattr(Spill, "_put", lambda *_: (_ for _ in ()).throw(OSError(errno.ENOSPC, "full")))
    assert not spill.keep("t", 1, "0001", 0, Pending(rows=(row(1.0),))), "and it is said where even that is not enough"


def test_figures_that_are_none_end_no_journal(library):
    now = [0.0]
    session = RoastSession(library, Clock(lambda: now[0]))
    machine = library.save_machine(machine_of_kind("Drum Six", "gas-6"))
    session.set_machine(machine)
    session.prepare(BatchOrder(None, machine, None, 5.0))
    for second in range(20):
        now[0] = float(second)
        gas = float("nan") if second % 3 else 2.0 + second / 10
        session.take_reading(reading(now[0], 200.0, float("inf"), gas))
    assert session.flush()
    session.set_control(Control.GAS, float("nan"), now[0])
    assert "no setting" in session.message
    session.close()
    kept = library.batch(1)
    assert kept.trace.t.size == 20
    assert np.isnan(kept.trace.air).all()
    assert all(np.isfinite(move.to) for move in kept.moves)


def test_an_unexpected_error_keeps_one_part_back_and_writes_the_others(library, monkeypatch, caplog):
    said = []
    journal = Journal(library, begun(library), lambda: 1.0, said.append)
    monkeypatch.setattr("firnel.store.pending.write_marks", lambda *_: 1 / 0)
    with caplog.at_level(logging.CRITICAL, "firnel"):
        journal.marks([Mark(MarkKind.CHARGE, 1.0)])
        journal.reading(row(0.0))
        journal.moves_and_notes([Move(Control.GAS, 1.0, 2.0, Found.KEY)], [])
        assert not journal.flush(1.5)
    kept = library.batch(journal.key)
    assert (kept.trace.t.size, len(kept.moves), kept.marks) == (1, 1, ())
    assert "division by zero" in said[-1]
    monkeypatch.undo()
    assert journal.flush(10.0), "the thread lives, and tries again"
    assert library.batch(journal.key).marks[0].kind is MarkKind.CHARGE
    journal.close()


def test_a_library_that_was_deleted_or_replaced_is_not_written_to(tmp_path):
    path = tmp_path / "library.sqlite"
    library = Library(path)
    path.rename(tmp_path / "elsewhere.sqlite")
    with pytest.raises(LibraryGoneError, match="not there any more"):
        library.save_house("a", {})
    other = Library(path)
    other.close()
    with pytest.raises(LibraryGoneError, match="Another file"):
        library.save_house("a", {})
    library.close()


def test_a_batch_is_written_by_one_process_only(qtbot, library):
    first = Journal(library, begun(library), lambda: 1.0, lambda said: None, owner=Owner("cellar", 12, "9"))
    said = []
    with pytest.raises(TakenOverError, match="another Firnel"):
        Journal(library, first.key, lambda: 1.0, said.append)
    with writing(library.engine) as connection:  # the cellar has been silent for long
        connection.execute(update(batches).values(seen_at=1.0))
    second = Journal(library, first.key, lambda: 1.0, said.append)
    second.reading(row(1.0))
    assert second.flush()
    told = []
    first._on_trouble = told.append
    first.reading(row(0.5))
    qtbot.waitUntil(lambda: bool(told))
    assert "written by another Firnel" in told[-1], "whoever lost it writes no more, and says so"
    second.close()
    first.leave()
    assert library.batch(second.key).trace.t.tolist() == [1.0]


def test_what_comes_after_a_batch_was_taken_is_kept_too_though_the_process_is_killed(qtbot, library, tmp_path):
    spill = Spill(tmp_path / "beside", library.identity, "here", Owner.here().text)
    first = Journal(library, begun(library), lambda: 1.0, lambda said: None, spill)
    with writing(library.engine) as connection:
        connection.execute(update(batches).values(owner=Owner("cellar", 12, "9").text))

    def kept():
        return [one[0] for spilled in spilled_in(tmp_path / "beside") for one in spilled.pending.rows]

    for t in (0.5, 1.0):
        first.reading(row(t))
        qtbot.waitUntil(lambda t=t: t in kept())
    first.leave()
    assert kept() == [0.5, 1.0]


@pytest.mark.parametrize("closed", ["dropped", "discarded"])
def test_a_batch_closed_elsewhere_is_written_on_by_the_one_that_roasts_it(library, closed):
    told = []
    journal = Journal(library, begun(library), lambda: 1.0, told.append)
    journal.status("ready" if closed == "discarded" else "roasting")
    journal.reading(row(0.5))
    assert journal.flush()
    library.set_status(journal.key, closed)  # it could not be heard for a minute
    journal.reading(row(1.0))
    assert journal.flush()
    (line,) = library.owner_book.busy(datetime.now(UTC))
    assert (line.id, line.label, line.status == "discarded", told) == (journal.key, journal.label, False, [])
    library.set_status(journal.key, "done")
    journal.status("dropped")
    assert journal.close()
    assert library.batch(journal.key).trace.t.tolist() == [0.5, 1.0]


def test_only_what_nobody_owns_any_more_is_offered(library, tmp_path):
    now = datetime.now(UTC)
    journal = Journal(library, begun(library), lambda: 1.0, lambda said: None)
    journal.status("roasting")
    assert journal.flush()
    assert library.owner_book.unowned(now) == []
    assert [line.label for line in library.owner_book.busy(now)] == ["0001"]
    journal.leave()
    gone = Owner(Owner.here().station, 2**22 + 5, "1")
    with writing(library.engine) as connection:
        connection.execute(update(batches).values(owner=gone.text))
    assert [line.label for line in library.owner_book.unowned(now)] == ["0001"]


def test_numbers_are_single_however_many_take_in_at_once(tmp_path):
    path = tmp_path / "library.sqlite"
    Library(path).close()
    barrier = threading.Barrier(6)

    def take_in():
        own = Library(path)
        barrier.wait()
        for _ in range(5):
            own.add_record(make_record(label="", step=20.0))
        own.close()

    threads = [threading.Thread(target=take_in) for _ in range(6)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    library = Library(path)
    labels = sorted(line.label for line in library.batch_lines(BatchFilter()))
    library.close()
    assert labels == [f"{number:04d}" for number in range(1, 31)]


def test_two_readers_of_one_device_are_warned(library):
    first, second = (Desk(library, Settings(), lambda call: call(), not_at_all) for _ in range(2))
    first.connect("serial:///dev/null?baud=9600")
    second.connect("serial:///dev/null?baud=1200")
    assert "reads this machine too" in second.session.message
    first.disconnect()
    second.connect("serial:///dev/null")
    second.session.say("")
    second.connect("serial:///dev/null")
    assert second.session.message == ""
    second.disconnect()


def test_a_refusal_leaves_the_library_as_it_was(library, full):
    full(True)
    with pytest.raises(LibraryWriteError, match="Free some space"):
        library.add_record(make_record())
    full(False)
    assert library.batch_list.count(BatchFilter()) == 0
    assert library.lots() == []
    assert json.dumps(library.house("a")) == "{}"


@pytest.fixture
def no_room():
    """No file can grow beyond 16 KiB any more: SQLite's index of 32 KiB (sqlite.org/walformat.html) finds no room either."""
    before = resource.getrlimit(resource.RLIMIT_FSIZE)

    def set_full(on):
        resource.setrlimit(resource.RLIMIT_FSIZE, (16_384, before[1]) if on else before)

    yield set_full
    set_full(False)


def test_a_library_that_is_opened_on_a_full_disk_is_read_and_takes_what_is_written_once_there_is_room(tmp_path, no_room):
    path = tmp_path / "there.sqlite"
    first = Library(path)
    first.save_lot(Lot("Kibara"))
    first.close()
    no_room(True)
    library = Library(path)
    assert [lot.name for lot in library.lots()] == ["Kibara"]
    assert check_file(path, whole=True) == [], "it is sound, whatever room there is"
    with pytest.raises(LibraryError, match="is full"):
        library.save_lot(Lot("Second"))
    with pytest.raises(LibraryError, match="cannot be copied"):
        copy_database(path, tmp_path / "copy.sqlite")
    assert not list(tmp_path.glob("*copy*"))
    no_room(False)
    library.save_lot(Lot("Second"))
    other = Library(path)
    other.save_lot(Lot("Third"))
    assert len(library.lots()) == 3, "and what another writes then is seen"
    other.close()
    library.close()


def test_what_finds_no_room_beside_the_settings_is_kept_in_a_refuge_and_found_there(library, full, tmp_path, monkeypatch):
    monkeypatch.setenv("TMPDIR", str(tmp_path))
    (tmp_path / "settings").write_text("no folder can be made in it", encoding="utf-8")
    beside, refuge = tmp_path / "settings" / "spill", refuges()[0]
    full(True)
    spill = Spill(beside, library.identity, "here", NOBODY, refuges())
    journal = Journal(library, begun(library, remark="x" * 9000), lambda: 1.0, lambda said: None, spill)
    journal.reading(row(1.0))
    journal.reading(row(2.0))
    assert journal.leave()
    assert (journal.in_a_refuge, journal.kept_in) == (True, str(refuge))
    assert stat.S_IMODE(refuge.stat().st_mode) == 0o700, "it lies where everybody may write"
    full(False)
    assert recover_spilled(library, beside).said == ["Batch 0001: what the library would not take before is in it now."]
    assert library.batch(library.find_batch("0001")).trace.t.size == 2
    assert not list(refuge.iterdir())


def test_the_window_does_not_close_unasked_over_a_batch_that_is_kept_nowhere(qtbot, library, full, monkeypatch):
    asked: list[str] = []
    monkeypatch.setattr(Question, "exec", lambda question: asked.append(question.sentence) or QDialog.DialogCode.Rejected)
    machine = library.save_machine(machine_of_kind("Drum Six", "gas-6"))
    window = make_window(library, Settings(), Look(make_application()), keep=lambda settings: None)
    window.show()
    full(True)
    window.desk.session.prepare(BatchOrder(None, machine, None, 5.0, operator="x" * 9000))
    qtbot.waitUntil(lambda: window.desk.session.kept_nowhere)
    window.close()
    assert window.isVisible()
    assert "is lost if Firnel ends now" in asked[0]
    full(False)
    qtbot.waitUntil(lambda: not window.desk.session.kept_nowhere)
    window.close()
    assert not window.isVisible()
    assert len(asked) == 1


def test_a_library_beside_which_nothing_may_be_laid_is_read(tmp_path):
    path = tmp_path / "there.sqlite"
    first = Library(path)
    first.save_lot(Lot("Kibara"))
    first.close()
    path.with_name("there.sqlite-shm").mkdir()  # as in a folder without rights, also for one who has all of them
    library = Library(path)
    assert [lot.name for lot in library.lots()] == ["Kibara"]
    with pytest.raises(LibraryError, match="check the rights"):
        library.save_lot(Lot("Second"))
    library.close()
