"""The records in a real PostgreSQL."""

import json
import os
import random
import shutil
import time
import uuid
from pathlib import Path

import numpy as np
import pytest
from sqlalchemy import Engine, func, inspect, select, text
from sqlalchemy.orm import Session

from tests.conftest import DEMO, setup_text
from tests.earlier_run import make_runs
from tidybench.core.batch import Batch
from tidybench.core.samples import channels_of, unpack
from tidybench.core.setup import SetupError
from tidybench.core.setup.calculated import load_calculations
from tidybench.records import blocks, by_name
from tidybench.records.database import downgrade, newest_revision, upgrade
from tidybench.records.history import history
from tidybench.records.layouts import layouts
from tidybench.records.models import Base, Layout, Mark, Run, SampleBlock, Summary
from tidybench.records.setups import (
    Difference,
    bench_id,
    calculations_in_force,
    fill_from,
    in_force,
    reactions_in_force,
    remove,
    save,
    save_calculations,
    save_reactions,
    take_back,
)
from tidybench.records.trends import trend
from tidybench.runs.folder import SAMPLES, run_folders
from tidybench.runs.run_state import read_state
from tidybench.web.clerk import Clerk, _piece

NOW = 1_795_416_791_000_000


def new_run(session: Session, begun: int = NOW, ended: int | None = None) -> uuid.UUID:
    key = uuid.uuid4()
    session.add(
        Run(
            id=key, bench_id=bench_id(session, "b"), name="n", item="", operator="", row_rule="steady rows",
            begun_at=begun, ended_at=ended, status="logging", reason="", folder="f", csv="c", followed=0,
            complete=False, counts={}, repairs=[],
        )
    )  # fmt: skip
    session.flush()
    return key


def records(count: int, start: int = 0, channels: int = 2) -> "np.ndarray[tuple[int], np.dtype[np.void]]":
    batch = Batch()
    for i in range(start, start + count):
        quality = 7 if i % 50 == 49 else 0
        batch.add(1 + i % channels, quality, NOW + i * 10_000, float("nan") if quality else float(i))
    return unpack(batch.pack(1))


def test_migrations_make_the_models_tables_and_go_down_again(engine: Engine) -> None:
    names = set(inspect(engine).get_table_names())
    assert set(Base.metadata.tables) <= names
    for name, table in Base.metadata.tables.items():
        have = {c["name"]: c["nullable"] for c in inspect(engine).get_columns(name)}
        assert have == {c.name: bool(c.nullable) for c in table.columns}
    compression = text(
        "SELECT attname FROM pg_attribute WHERE attrelid = 'sample_block'::regclass AND attcompression = 'l'"
    )
    with Session(engine) as session:
        assert set(session.scalars(compression)) == {"times", "values", "qualities"}
        # The head as the migrations' tool has it, which is not asked at every start.
        assert session.scalar(text("SELECT version_num FROM alembic_version")) == newest_revision()
    downgrade(engine)
    assert set(inspect(engine).get_table_names()) == {"alembic_version"}
    upgrade(engine)


@pytest.mark.parametrize("pieces", [[20_000], [7] * 500, [1, 5000, 3, 9000, 2, 2, 4000]])
def test_blocks_hold_every_sample_once_whatever_the_pieces(engine: Engine, pieces: list[int]) -> None:
    with Session(engine) as session, session.begin():
        run = new_run(session)
        at = 0
        for size in pieces:
            blocks.append(session, blocks.prepare(run, at, records(size, at)))
            at += size
            blocks.merge(session, run)
        blocks.merge(session, run, all_of_it=True)
        expected = records(sum(pieces))
        for number in (1, 2):
            own = expected[channels_of(expected) == number]
            got = blocks.series_of(session, run, number, 0, 2**62)
            assert got.times.tolist() == own["time"].tolist()
            np.testing.assert_array_equal(got.values, own["value"])
            inside = blocks.series_of(session, run, number, NOW + 100_000, NOW + 200_000)
            assert inside.times.tolist() == [
                t for t in own["time"].tolist() if NOW + 100_000 <= t < NOW + 200_000
            ]
        largest = session.scalar(select(func.max(SampleBlock.count)))
        assert largest is not None
        assert largest <= blocks.FULL


def test_summaries_agree_with_the_samples(engine: Engine) -> None:
    with Session(engine) as session, session.begin():
        run = new_run(session)
        random.seed(3)
        at = 0
        while at < 9000:
            size = random.randint(1, 400)
            blocks.append(session, blocks.prepare(run, at, records(size, at)))
            at += size
        for width in blocks.WIDTHS:
            rows = session.scalars(select(Summary).where(Summary.run_id == run, Summary.width == width)).all()
            for row in rows:
                series = blocks.series_of(session, run, row.number, row.start, row.start + width)
                good = series.values[series.qualities <= 1]
                assert (row.count, row.measured) == (len(series.times), len(good))
                assert (row.minimum, row.maximum) == (good.min(), good.max())
                assert row.total == pytest.approx(good.sum())


def test_a_long_run_is_drawn_from_summaries(engine: Engine) -> None:
    with Session(engine) as session, session.begin():
        run = new_run(session)
        batch = Batch()
        for i in range(60_000):
            batch.add(1, 0, NOW + i * 100_000, 5.0 if i != 31_234 else 99.0)
        blocks.append(session, blocks.prepare(run, 0, unpack(batch.pack(1))))
        few = trend(session, run, 1, NOW, NOW + 6_000_000_000, 100)
        assert len(few.times) < 1500
        assert few.values.max() == 99.0  # no spike is lost
        zoomed = trend(session, run, 1, NOW + 3_123_000_000, NOW + 3_124_000_000, 100)
        assert 99.0 in zoomed.values


def test_the_sample_view_gives_plain_rows(engine: Engine) -> None:
    with Session(engine) as session, session.begin():
        run = new_run(session)
        session.execute(
            text(
                "INSERT INTO run_channel (run_id, number, position, key, name, unit, instrument, decimals, interval_s)"
                " VALUES (:run, 1, 0, 'flow', 'Flow', 'L/min', 'i', 1, 0.2)"
            ),
            {"run": run},
        )
        blocks.append(session, blocks.prepare(run, 0, records(100)))
        count, nulls = session.execute(text("SELECT count(*), count(*) - count(value) FROM sample")).one()
        assert (count, nulls) == (50, 0)


def test_views_give_states_in_words_and_the_times_of_devices(engine: Engine) -> None:
    """Two messages at one microsecond: each with its own time."""
    with Session(engine) as session, session.begin():
        run = new_run(session)
        for number, key, more in (
            (1, "valve", 'false, 2, \'["shut", "open"]\''),
            (2, "own", "true, 0, '[]'"),
        ):
            session.execute(
                text(
                    "INSERT INTO run_channel (run_id, number, position, key, name, unit, instrument, decimals, interval_s, clock, timed_by,"
                    f" states) VALUES (:run, :number, 0, :key, :key, '', 'i', 1, 0.2, {more})"
                ),
                {"run": run, "number": number, "key": key},
            )
        batch = Batch()
        for value, late in ((0.0, 0.5), (1.0, 0.25), (7.0, 0.0)):
            batch.add(1, 0, NOW, value)
            batch.add(2, 0, NOW, late)
        batch.add(1, 8, NOW + 1)
        blocks.append(session, blocks.prepare(run, 0, unpack(batch.pack(1))))
        states = session.scalars(text("SELECT state FROM sample WHERE channel = 'valve'")).all()
        assert states == ["shut", "open", None, None]
        rows = session.execute(
            text(
                "SELECT channel, device_time_us, extract(epoch FROM device_time), value FROM sample_by_device_clock ORDER BY 2"
            )
        ).all()
    assert [(row[0], row[1], row[3]) for row in rows] == [
        ("valve", NOW - 500_000, 0.0),
        ("valve", NOW - 250_000, 1.0),
        ("valve", NOW, 7.0),
    ]
    assert [float(row[2]) for row in rows] == pytest.approx([row[1] / 1e6 for row in rows])


def test_set_ups_have_versions_and_the_newest_is_in_force(engine: Engine) -> None:
    first = setup_text("loop-flow-meter")
    second = first.replace("every_s = 0.2", "every_s = 0.5")
    with Session(engine) as session, session.begin():
        bench = bench_id(session, "b")
        assert bench_id(session, "b") == bench
        assert [save(session, bench, t) for t in (first, second, second)] == [1, 2, 2]
        assert save(session, bench, first, from_file=True) == 1  # an old file undoes nothing
        [stored] = in_force(session, bench)
        assert (stored.version, stored.text) == (2, second)
        assert in_force(session, bench_id(session, "another bench")) == []
        assert remove(session, bench, "loop-flow-meter") == second
        assert remove(session, bench, "loop-flow-meter") is None
        save(session, bench, first, from_file=True)
        assert in_force(session, bench) == []  # nor does it bring back what was removed
        assert save(session, bench, second) == 2
        assert save(session, bench, first) == 3
        assert in_force(session, bench)[0].text == first
        with pytest.raises(SetupError):
            save(session, bench, "nonsense")


def test_a_run_that_grows_while_it_is_followed_is_followed_in_turns(
    engine: Engine, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """With a hundred channels there was always something new: the web server took a whole core, and wrote every block again and again."""
    assert make_runs(tmp_path, DEMO, NOW, "b")
    [folder] = run_folders(tmp_path)
    whole = (folder / SAMPLES).read_bytes()
    state = read_state(folder).model_copy(update={"status": "logging"})
    (folder / "state.json").write_text(state.model_dump_json())
    (folder / SAMPLES).write_bytes(whole[: 24 * 100])
    pieces: list[int] = []

    def growing(place: Path, run: uuid.UUID, first: int) -> blocks.Prepared:
        piece = _piece(place, run, first)
        pieces.append(piece.count)
        (folder / SAMPLES).write_bytes(whole[: 24 * 100 * (len(pieces) + 1)])
        return piece

    monkeypatch.setattr("tidybench.web.clerk._piece", growing)
    clerk = Clerk(engine, tmp_path)
    clerk.follow()
    assert pieces == [100]
    clerk.follow()
    assert pieces == [100, 100]


def test_the_clerk_follows_a_run_and_may_be_stopped_anywhere(engine: Engine, tmp_path: Path) -> None:
    assert make_runs(tmp_path, DEMO, NOW, "b")
    [folder] = run_folders(tmp_path)
    clerk = Clerk(engine, tmp_path)
    whole = (folder / SAMPLES).read_bytes()
    state = read_state(folder)
    for part in (0, 24 * 100, 24 * 100 + 7, len(whole)):
        (folder / SAMPLES).write_bytes(whole[:part])
        (folder / "state.json").write_text(
            state.model_copy(update={"status": "logging" if part < len(whole) else "ended"}).model_dump_json()
        )
        Clerk(engine, tmp_path).follow()  # a new one each time, as after a kill
        clerk.follow()
    with Session(engine) as session:
        run = session.scalars(select(Run)).one()
        assert run.complete
        assert run.followed == len(whole) // 24
        expected = unpack(whole)
        for channel in state.channels:
            own = expected[channels_of(expected) == channel.number]
            got = blocks.series_of(session, run.id, channel.number, 0, 2**62)
            assert got.times.tolist() == own["time"].tolist()
            np.testing.assert_array_equal(got.values, own["value"])
        assert session.scalar(text("SELECT count(*) FROM mark")) == 4
    assert not make_runs(tmp_path, DEMO, NOW, "b")


@pytest.mark.parametrize("sql", ["DROP SCHEMA public CASCADE; CREATE SCHEMA public", "TRUNCATE run CASCADE"])
def test_a_database_that_is_emptied_is_filled_again_from_the_run_folders(
    engine: Engine, tmp_path: Path, sql: str
) -> None:
    make_runs(tmp_path, DEMO, NOW, "b")
    clerk = Clerk(engine, tmp_path)
    clerk.follow()
    keys = [read_state(folder).id for folder in run_folders(tmp_path)]
    assert all(map(clerk.complete, keys))
    with engine.begin() as connection:
        before = connection.execute(text("SELECT * FROM sample ORDER BY 1, 2, 3")).fetchall()
        for statement in sql.split(";"):
            connection.execute(text(statement))
    for _ in range(2):
        clerk.follow()
    assert all(map(clerk.complete, keys))
    with engine.begin() as connection:
        assert connection.execute(text("SELECT * FROM sample ORDER BY 1, 2, 3")).fetchall() == before


def test_a_month_is_drawn_from_summaries_over_all_runs(engine: Engine) -> None:
    hour = 3_600_000_000
    with Session(engine) as session, session.begin():
        bench = bench_id(session, "b")
        for number, begun in ((1, NOW), (2, NOW + 100 * hour)):
            run = new_run(session, begun, begun + 90 * hour)
            session.execute(
                text(
                    "INSERT INTO run_channel (run_id, number, position, key, name, unit, instrument, decimals, interval_s)"
                    " VALUES (:run, :number, 0, 'flow', 'Flow', 'L/min', 'i', 1, 60)"
                ),
                {"run": run, "number": number},
            )
            batch = Batch()
            for minute in range(90 * 60):
                value = 99.0 if minute == 1234 else 5.0
                lost = number == 2 and 60 * 40 <= minute < 60 * 50
                batch.add(
                    number, 8 if lost else 0, begun + minute * 60_000_000, float("nan") if lost else value
                )
            blocks.append(session, blocks.prepare(run, 0, unpack(batch.pack(1))))
        session.flush()
        found = history(session, bench, NOW - 10 * hour, NOW + 200 * hour, 210)
        assert [one.key for one in found] == ["flow", "flow"]
        first, second = (one.series for one in found)
        assert first.values.max() == 99.0  # no spike is lost
        assert len(first.times) <= 2 * 91
        assert (np.diff(first.times) > 0).all()
        lost = second.qualities >= 2
        assert 8 <= lost.sum() <= 11
        assert np.isnan(second.values[lost]).all()
        near = history(session, bench, NOW, NOW + hour, 900)
        assert near[0].series.times.tolist()[:2] == [NOW, NOW + 60_000_000]
        assert history(session, bench_id(session, "another"), NOW, NOW + hour, 900) == []


def test_layouts_are_saved_by_name(engine: Engine) -> None:
    with Session(engine) as session, session.begin():
        bench = bench_id(session, "b")
        by_name.save(session, Layout, bench, "pumps", data={"lanes": []})
        by_name.save(session, Layout, bench, "pumps", data={"lanes": [{"channels": ["flow"]}]})
        assert layouts(session, bench) == {"pumps": {"lanes": [{"channels": ["flow"]}]}}
        assert layouts(session, bench_id(session, "another")) == {}
        assert by_name.remove(session, Layout, bench, "pumps")
        assert not by_name.remove(session, Layout, bench, "pumps")


def test_calculated_channels_have_versions_beside_the_instruments(engine: Engine) -> None:
    document = (DEMO / "calculated.toml").read_text("utf-8")
    with Session(engine) as session, session.begin():
        bench = bench_id(session, "b")
        assert calculations_in_force(session, bench) is None
        assert save_calculations(session, bench, document) == 1
        assert save_calculations(session, bench, document.replace('"Head"', '"Lift"')) == 2
        stored = calculations_in_force(session, bench)
        assert stored is not None
        assert stored.version == 2
        assert in_force(session, bench) == []  # no instrument
        with pytest.raises(SetupError, match="no such key"):
            save_calculations(session, bench, document + "nonsense = 1")


def test_reactions_have_versions_and_come_back_from_the_recorder(engine: Engine) -> None:
    document = (DEMO / "reactions.toml").read_text("utf-8")
    with Session(engine) as session, session.begin():
        bench = bench_id(session, "b")
        assert reactions_in_force(session, bench) is None
        assert fill_from(session, bench, [], "", document).filled == ("Reactions",)
        assert fill_from(session, bench, [], "", document) == Difference()
        stored = reactions_in_force(session, bench)
        assert stored is not None
        assert (stored.version, stored.text) == (1, document)
        assert in_force(session, bench) == []  # no instrument
        assert save_reactions(session, bench, document.replace("30.0", "31.0")) == 2
        with pytest.raises(SetupError, match="no such key"):
            save_reactions(session, bench, document + "nonsense = 1")


def test_a_run_that_cannot_be_taken_in_fails_by_itself(
    engine: Engine, tmp_path: Path, caplog: pytest.LogCaptureFixture
) -> None:
    """A NUL in one run's mark used to stop the clerk for ever: later runs never reached the Logbook."""
    for day in (1, 2, 3):
        assert make_runs(tmp_path / str(day), DEMO, NOW + day * 90_000_000_000, "bench")
    first, second, third = [next((tmp_path / str(day)).glob("*/*")) for day in (1, 2, 3)]
    for folder in (first, second, third):
        folder.parent.rename(tmp_path / folder.parent.name)
    first, second, third = sorted(tmp_path.glob("20*/*"))
    with open(first / "marks.csv", "a", encoding="utf-8", newline="") as file:
        file.write("2026-11-23T09:30:12.345+01:00,1.000,a\0b,M\r\n")
    state = json.loads((second / "state.json").read_text())
    state["channels"][0]["decimals"] = 10**12  # more than the column takes
    (second / "state.json").write_text(json.dumps(state))
    clerk = Clerk(engine, tmp_path)
    clerk.follow()
    assert [clerk.complete(read_state(folder).id) for folder in (first, second, third)] == [True, False, True]
    with Session(engine) as session:
        texts = session.scalars(select(Mark.text).where(Mark.run_id == uuid.UUID(read_state(first).id)))
        assert "a\ufffdb" in list(texts)
    [record] = [r for r in caplog.records if r.levelname == "ERROR"]
    assert second.name in record.getMessage()
    assert record.exc_info is not None  # with its traceback
    assert second.name in clerk.troubles


def test_a_bench_is_known_by_its_key_whatever_its_computer_is_called(engine: Engine) -> None:
    """Fault 16: the hostname was the key."""
    with Session(engine) as session, session.begin():
        old = bench_id(session, "shop")  # of before there were keys
        assert bench_id(session, "shop", "key-1") == old
        assert bench_id(session, "renamed", "key-1") == old
        other = bench_id(session, "shop", "key-2")
        assert other != old
        assert bench_id(session, "shop", "key-2") == other


def test_a_database_that_knows_less_is_filled_and_one_that_knows_more_is_left(engine: Engine) -> None:
    """Fault 16, and what the person is asked about."""
    flow, power = setup_text("loop-flow-meter"), setup_text("power-analyser")
    with Session(engine) as session, session.begin():
        bench = bench_id(session, "b")
        assert fill_from(session, bench, [flow, power], "").filled == (
            "Loop flow meter",
            "Power analyser",
        )
        assert [one.text for one in in_force(session, bench)] == [flow, power]
        assert fill_from(session, bench, [flow, power], "") == Difference()
        # Saved, and not in force yet when everything ended: that is no reason to forget it.
        newer = flow.replace("decimals = 1", "decimals = 3")
        save(session, bench, newer)
        assert fill_from(session, bench, [flow, power], "") == Difference()
        assert in_force(session, bench)[0].text == newer
        # An older backup: it has an instrument in use that was removed since, and does not know the newest.
        newest = flow.replace("decimals = 1", "decimals = 4")
        found = fill_from(session, bench, [newest], "format = 1\n")
        assert found == Difference(
            ("Loop flow meter", "Calculated channels"), ("Power analyser",), (newer, power), ""
        )
        assert [one.text for one in in_force(session, bench)] == [newest]
        take_back(session, bench, list(found.before), found.calculations_before)
        assert [one.text for one in in_force(session, bench)] == [newer, power]
        assert [one.version for one in in_force(session, bench)] == [4, 1]
        calculated = calculations_in_force(session, bench)
        assert calculated is not None
        assert load_calculations(calculated.text).calculated == []


def test_a_copy_a_damaged_state_and_a_moved_run(engine: Engine, tmp_path: Path) -> None:
    """Fault 24: a copied run folder made two of one; a damaged state vanished without a word."""
    make_runs(tmp_path, DEMO, NOW, "b")
    [folder] = run_folders(tmp_path)
    day = folder.parent
    other = day / "000000+0000-other"
    shutil.copytree(folder, other)
    text = (other / "state.json").read_text()
    (other / "state.json").write_text(text.replace(read_state(folder).id, str(uuid.uuid4())))
    clerk = Clerk(engine, tmp_path)
    clerk.follow()
    shutil.copytree(folder, day / "999999+0000-copy")
    state = other / "state.json"
    whole = state.read_bytes()
    state.write_bytes(whole[: len(whole) // 2])
    old = time.time() - 100
    os.utime(other, (old, old))
    again = Clerk(engine, tmp_path)
    again.follow()
    assert "is a copy of" in again.troubles
    assert "its state.json is damaged" in again.troubles
    with Session(engine) as session:
        assert session.scalar(select(func.count()).select_from(Run)) == 2
    state.write_bytes(whole)
    shutil.rmtree(day / "999999+0000-copy")
    moved = day / "000001+0000-moved"
    folder.rename(moved)
    third = Clerk(engine, tmp_path)
    third.follow()
    assert third.troubles == ""
    with Session(engine) as session:
        assert str(moved) in set(session.scalars(select(Run.folder)))
