"""The list of runs: each page, sort and filter beside Python over the same runs."""

import random
import uuid

import numpy as np
import pytest
from sqlalchemy import Engine, text
from sqlalchemy.orm import Session

from tests.records.test_records import NOW, new_run
from tidybench.core.samples import DTYPE
from tidybench.records import blocks
from tidybench.records.models import Run, RunChannel
from tidybench.records.run_list import CursorError, Sort, Wanted, found_runs
from tidybench.records.sketches import sketch

WORDS = ["Pump 7", "Seal 100%_x", "Öl Ä", "winding", "valve", "P7-0413", "it's \\ here"]


def filled(session: Session, count: int) -> list[Run]:
    random.seed(5)
    runs = []
    for n in range(count):
        run = session.get_one(Run, new_run(session))
        run.name, run.item, run.operator = (random.choice(WORDS) for _ in range(3))
        run.begun_at = NOW + random.randrange(40) * 3_600_000_000
        run.ended_at = None if n % 11 == 0 else run.begun_at + random.randrange(5) * 60_000_000
        run.status = "logging" if run.ended_at is None else random.choice(["ended", "interrupted"])
        run.alarms = random.choice([None, 0, 0, 1, 7])
        run.followed = random.randrange(6) * 1000
        run.searched = f"{run.name} {run.item} {run.operator} Loop flow {n}"
        runs.append(run)
    session.flush()
    return runs


def every(session: Session, wanted: Wanted, most: int) -> tuple[list[uuid.UUID], int]:
    """All pages, one after the other."""
    found: list[uuid.UUID] = []
    after, total = "", -1
    while True:
        listed, after, total = found_runs(session, wanted, after, most)
        found += [one.run.id for one in listed]
        if not after:
            return found, total


@pytest.mark.parametrize("falling", [True, False])
@pytest.mark.parametrize("sort", ["begun", "name", "item", "operator", "length", "samples"])
def test_pages_have_every_run_once_in_order(engine: Engine, sort: Sort, falling: bool) -> None:
    with Session(engine) as session, session.begin():
        runs = filled(session, 97)
        found, total = every(session, Wanted(sort=sort, falling=falling), 10)
        assert total == 97
        assert sorted(found) == sorted(run.id for run in runs)
        by_id = {run.id: run for run in runs}

        def value(run: Run) -> int:
            return {
                "begun": run.begun_at,
                "length": 0 if run.ended_at is None else run.ended_at - run.begun_at,
                "samples": run.followed,
            }[sort]

        if sort in ("begun", "length", "samples"):
            shown = [value(by_id[key]) for key in found]
            assert shown == sorted(shown, reverse=falling)
        else:
            # Words stand in the server's own order: its sorting of them is the reference.
            column = {"name": "name", "item": "item", "operator": "operator"}[sort]
            direct = session.scalars(
                text(
                    f"SELECT lower({column}) FROM run ORDER BY lower({column}) {'DESC' if falling else 'ASC'}"
                )
            )
            assert [getattr(by_id[key], column).lower() for key in found] == list(direct)
        session.rollback()


def test_filters_are_those_of_python(engine: Engine) -> None:
    with Session(engine) as session, session.begin():
        runs = filled(session, 120)
        for words in ("", "pump", "100%_", "öl", "\\", "valve pump", "flow 11", "nothing like it"):
            for ended in ("", "ended", "interrupted", "logging"):
                for verdict in ("", "within", "beyond"):
                    since = random.choice([None, NOW + 10 * 3_600_000_000])
                    until = random.choice([None, NOW + 30 * 3_600_000_000])
                    wanted = Wanted(words, ended, verdict, since, until)  # type: ignore[arg-type]
                    found, total = every(session, wanted, 7)
                    expected = {
                        run.id
                        for run in runs
                        if all(word.casefold() in run.searched.casefold() for word in words.split())
                        and ended in ("", run.status)
                        and (
                            not verdict
                            or (run.alarms is not None and (run.alarms > 0) == (verdict == "beyond"))
                        )
                        and (since is None or run.begun_at >= since)
                        and (until is None or run.begun_at < until)
                    }
                    assert set(found) == expected, wanted
                    assert total == len(expected)
        session.rollback()


def test_a_run_is_limited_where_one_of_its_channels_is(engine: Engine) -> None:
    with Session(engine) as session, session.begin():
        run = session.get_one(Run, new_run(session))
        [one] = [listed for listed in found_runs(session, Wanted(), "", 10)[0] if listed.run.id == run.id]
        assert not one.limited
        session.add(
            RunChannel(
                run_id=run.id, number=1, position=0, key="f", name="Flow", unit="L/min", decimals=1, interval_s=1.0,
                instrument="i", low=None, high=3.5,
            )
        )  # fmt: skip
        session.flush()
        [one] = [listed for listed in found_runs(session, Wanted(), "", 10)[0] if listed.run.id == run.id]
        assert one.limited
        session.rollback()


@pytest.mark.parametrize(
    "cursor",
    [
        "x",
        "e30=",
        "WzEsIDJd",
        "W251bGwsICJ4Il0=",
        "WyJ4IiwgIjAwMDAwMDAwLTAwMDAtNDAwMC04MDAwLTAwMDAwMDAwMDAwMCJd",
    ],
)
def test_a_cursor_that_is_none_is_refused(engine: Engine, cursor: str) -> None:
    with Session(engine) as session, pytest.raises(CursorError, match="no place in the list"):
        found_runs(session, Wanted(), cursor, 10)


@pytest.mark.parametrize("every_us", [10_000, 1_000_000, 60_000_000])
def test_a_sketch_is_the_means_of_the_samples(engine: Engine, every_us: int) -> None:
    count = 6000
    with Session(engine) as session, session.begin():
        run = session.get_one(Run, new_run(session))
        for number, high in ((1, None), (2, 3.5)):
            session.add(
                RunChannel(
                    run_id=run.id, number=number, position=number, key=f"c{number}", name=f"Channel {number}", unit="", decimals=1,
                    interval_s=every_us / 1e6, instrument="i", low=None, high=high,
                )
            )  # fmt: skip
        rng = np.random.default_rng(every_us)
        packed = np.zeros(count, DTYPE)
        packed["word"] = ((np.arange(count, dtype=np.uint64) + np.uint64(1)) << np.uint64(24)) | np.uint64(
            2 << 8
        )
        packed["time"] = NOW + np.arange(count) * every_us
        packed["value"] = np.sin(np.arange(count) / 400) * 50 + rng.normal(0, 0.1, count)
        lost = slice(3000, 3500)
        packed["word"][lost] |= np.uint64(7)
        packed["value"][lost] = np.nan
        run.ended_at = NOW + count * every_us
        blocks.append(session, blocks.prepare(run.id, 0, packed))
        name, values = sketch(session, run)
        assert name == "Channel 2", "the one with a limit"
        assert len(values) == 48
        place = np.arange(count) * 48 // count
        good = np.isfinite(packed["value"])
        for n, value in enumerate(values):
            # A summary at the edge may stand in the place beside.
            about = (place >= n - 1) & (place <= n + 1)
            if not good[about].any():
                assert value is None
            elif good[about].all():
                assert value is not None
                assert value == pytest.approx(packed["value"][place == n].mean(), abs=4)
        assert None in values
        session.rollback()
