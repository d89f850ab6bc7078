"""A disk that hangs, and one that is full: what polls and flushes need never waits, what fails leaves the old working."""

import errno
import logging
import os

import pytest

from tests.conftest import Shop, setup_text, wait_for
from tests.recorder.inside import HungDisk, Inside, full_disk, inside
from tidybench.runs.marks import read_marks
from tidybench.runs.run_state import read_state
from tidybench.wire.channels import ZeroChannel
from tidybench.wire.places import Places
from tidybench.wire.ports import LabelPort, ReleasePort, TakeBackPort
from tidybench.wire.runs import AddMark, BeginRun, CorrectMark, EndRun
from tidybench.wire.setups import ApplySetups, SetupText

FLOW = "loop-flow-meter"
PORT = f"simulated/{FLOW}"
FASTER = setup_text(FLOW).replace("every_s = 0.2", "every_s = 0.1")
SETUPS = ApplySetups(setups=[SetupText(id=FLOW, text=setup_text(FLOW))])
CHANGED = ApplySetups(setups=[SetupText(id=FLOW, text=FASTER)])


def polling(one: Inside) -> None:
    """Wait until it measures again."""
    worker = one.recorder.employment.now.workers[PORT]
    before = worker.reader.counts.messages
    wait_for(lambda: worker.reader.counts.messages > before + 2, "readings")


def test_with_a_disk_that_never_answers_everything_goes_on(
    places: Places, shop: Shop, monkeypatch: pytest.MonkeyPatch
) -> None:
    with inside(places) as one:
        assert one.ask(SETUPS).trouble == ""
        polling(one)
        disk = HungDisk(monkeypatch)
        try:
            assert one.ask(BeginRun(name="Hung")).trouble == ""
            folder = one.log.folder
            # The first value may still be on its way through.
            wait_for(lambda: one.ask(ZeroChannel(channel="loop-flow")).trouble == "", "a zero")
            for request in (
                LabelPort(name=PORT, label="flow"),
                AddMark(text="one", by="M"),
                CHANGED,
                ReleasePort(link=PORT),
                TakeBackPort(link=PORT),
            ):
                assert one.ask(request).trouble == "", request
            run = one.ask(AddMark(text="two")).run
            assert run is not None
            assert one.ask(CorrectMark(at=run.marks[0].at, text="first")).trouble == ""
            assert one.ask(AddMark(text="three")).trouble == ""
            polling(one)
            rows = one.log.rows
            wait_for(lambda: one.log.rows > rows + 5, "rows")
            one.recorder.writer.mailbox.ask(lambda: one.recorder.writer.run_in_progress.sync(1))
            wait_for(lambda: disk.waiting > 1, "the disk to be waited for")
            # A kill would find all of it.
            assert [mark.text for mark in read_marks(folder)] == ["first", "two", "three"]
            assert read_state(folder).status == "logging"
            sealed = one.recorder.service.end_run(one.log.state.id, "ended by a person")
            assert read_state(folder).status == "ended"
            polling(one)
            assert not sealed.done()  # who ends a run is told when it is on the disk, and not before
        finally:
            disk.let_go()
        sealed.result(20)
        assert (folder / "state.json").read_text().count('"ended"') == 1
        assert len((folder / "summary.json").read_text()) > 100


def test_a_set_up_that_cannot_be_kept_changes_nothing(
    places: Places, shop: Shop, monkeypatch: pytest.MonkeyPatch
) -> None:
    with inside(places) as one:
        one.ask(SETUPS)
        one.ask(BeginRun(name="Full"))
        before = one.recorder.employment.now
        for running in (True, False):
            with full_disk(monkeypatch):
                answer = one.ask(CHANGED)
                assert answer.trouble == "disk"
                assert answer.why.endswith("No space left on device. Nothing was changed.")
                assert one.ask(ZeroChannel(channel="loop-flow")).trouble in ("disk", "conflict")
                assert one.ask(LabelPort(name=PORT, label="x")).trouble == "disk"
            assert one.recorder.employment.now is before
            assert before.workers[PORT].is_open or before.workers[PORT].trouble == "not open yet"
            polling(one)
            if running:
                assert one.ask(EndRun(run=one.log.state.id)).trouble == ""
        assert one.ask(CHANGED).trouble == ""
        assert one.recorder.employment.now is not before
        polling(one)


def test_a_set_up_that_fails_on_its_way_into_force_leaves_the_old_one(
    places: Places, shop: Shop, monkeypatch: pytest.MonkeyPatch
) -> None:
    with inside(places) as one:
        one.ask(SETUPS)
        polling(one)
        before = one.recorder.employment.now
        remembered = one.recorder.state.now
        with monkeypatch.context() as patch:

            def broken(*_: object) -> None:
                raise RuntimeError("a fault of ours")

            patch.setattr("tidybench.recorder.employment.Worker", broken)
            assert one.ask(CHANGED).trouble == "failed"
        assert one.recorder.employment.now is before
        assert one.recorder.state.now == remembered
        polling(one)


def test_a_run_that_cannot_be_closed_on_a_full_disk_is_closed_when_there_is_room(
    places: Places, shop: Shop, monkeypatch: pytest.MonkeyPatch
) -> None:
    with inside(places) as one:
        one.ask(SETUPS)
        run = one.ask(BeginRun(name="Full")).run
        assert run is not None
        folder = one.log.folder
        wait_for(lambda: one.log.rows > 2, "rows")
        with full_disk(monkeypatch):
            answer = one.ask(EndRun(run=run.id))
            assert answer.trouble == "disk"
            assert "It is tried again" in answer.why
            polling(one)  # the bench goes on
        wait_for(lambda: read_state(folder).status == "ended", "the end to be written")
        assert one.ask(BeginRun(name="The next")).trouble == ""


def test_a_mark_that_cannot_be_written_or_kept_is_refused(places: Places, shop: Shop) -> None:
    with inside(places) as one:
        one.ask(SETUPS)
        one.ask(BeginRun(name="Marks"))
        for text in ("a\0b", "a\x07b", "\ud800"):
            assert (
                one.recorder.service.answer(
                    b'{"kind": "add mark", "text": '
                    + repr(text).replace("'", '"').replace("\\x", "\\u00").encode()
                    + b"}"
                )[0].trouble
                == "invalid"
            )  # type: ignore[union-attr]
        assert one.ask(AddMark(text="x", by="a\0b")).trouble == "invalid"
        assert one.log.marks == []


def test_many_changes_at_once_never_spoil_the_state(
    places: Places, shop: Shop, caplog: pytest.LogCaptureFixture
) -> None:
    """Two threads used to write state.json.new at the same time: the slower one found it gone."""
    caplog.set_level(logging.WARNING)
    with inside(places) as one:
        one.ask(SETUPS)
        one.ask(BeginRun(name="Busy"))
        folder = one.log.folder
        writer = one.recorder.writer
        for n in range(40):
            text = setup_text(FLOW).replace("decimals = 1", f"decimals = {n % 3}")
            assert one.ask(ApplySetups(setups=[SetupText(id=FLOW, text=text)])).trouble == ""
            writer.mailbox.post(lambda: writer.run_in_progress.sync(1))
            writer.mailbox.ask(lambda n=n: one.log.know_later({f"later-{n}": 100 + n}))  # type: ignore[misc]
            assert len(read_state(folder).later) == n + 1
        assert one.log.troubles == {}
    assert [record.getMessage() for record in caplog.records] == []


def test_a_disk_that_reports_an_error_is_said(
    places: Places, shop: Shop, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    with inside(places) as one:
        one.ask(SETUPS)
        one.ask(BeginRun(name="Broken disk"))
        polling(one)

        def broken(fd: int) -> None:
            raise OSError(errno.EIO, os.strerror(errno.EIO))

        with monkeypatch.context() as patch:
            patch.setattr(os, "fdatasync", broken)
            one.recorder.writer.mailbox.ask(lambda: one.recorder.writer.run_in_progress.sync(1))
            wait_for(lambda: "disk" in one.log.troubles, "the error to be said")
        assert "Input/output error" in one.log.troubles["disk"]
        polling(one)  # and logging goes on
    assert any("Input/output error" in record.getMessage() for record in caplog.records)
