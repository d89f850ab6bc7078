"""Row `clerk`: how fast the samples of a run go into the records."""

import tempfile
import time
import uuid
from pathlib import Path

import numpy as np
from sqlalchemy import Engine, text
from sqlalchemy.orm import Session

from measure.result import Result, median
from measure.stack import private_cluster
from tidybench.core.samples import DTYPE
from tidybench.records.database import Patient, engine_for
from tidybench.records.models import SampleBlock
from tidybench.runs.folder import SAMPLES
from tidybench.runs.marks import HEAD, MARKS
from tidybench.runs.run_channel import RunChannel
from tidybench.runs.run_state import RunState, write_state
from tidybench.web.clerk import Clerk

CHANNELS, RATE = 16, 10
HOUR, DAY = 3600, 86_400
BEGUN = 1_795_416_792_000_000
DAY_WITHIN = 60.0
"""Seconds in which a day of samples is to be caught up."""


def ended_run(folder: Path, seconds: int, rate: int = RATE) -> int:
    """A run that has ended, of so many samples a second and channel; gives how many it has."""
    folder.mkdir(parents=True)
    count = CHANNELS * rate * seconds
    channels = [
        RunChannel(
            number=n, id=f"c{n}", name=f"Channel {n}", unit="V", decimals=3, interval_s=1 / rate, instrument="i",
            instrument_name="I", scale=1, offset=0, low=None, high=None,
        )
        for n in range(1, CHANNELS + 1)
    ]  # fmt: skip
    key = str(uuid.uuid4())
    write_state(
        folder,
        RunState(
            id=key, bench="b", name="n", begun_at=BEGUN, ended_at=BEGUN + seconds * 1_000_000, status="ended", csv="c.csv",
            channels=channels,
        ),
    )  # fmt: skip
    places = np.arange(count)
    records = np.empty(count, DTYPE)
    number = (places % CHANNELS + 1).astype(np.uint64)
    records["word"] = ((places + 1).astype(np.uint64) << np.uint64(24)) | (number << np.uint64(8))
    records["time"] = BEGUN + places // CHANNELS * (1_000_000 // rate) + places % CHANNELS * 900
    records["value"] = np.random.default_rng(1).normal(150, 0.5, count).round(3)
    (folder / MARKS).write_text(HEAD)
    records.tofile(folder / SAMPLES)
    return count


def _caught_up(engine: Engine, runs: Path) -> float:
    clerk = Clerk(engine, runs)
    begun = time.perf_counter()
    clerk.follow()
    took = time.perf_counter() - begun
    if clerk.troubles:
        raise RuntimeError(clerk.troubles)
    return took


def _copied(engine: Engine, how: str) -> float:
    """Seconds for the same blocks by one binary COPY into a table like theirs, made ready before. `how`: its compression, PostgreSQL's
    own ("default") or that of theirs."""
    table = SampleBlock.__tablename__
    with Session(engine) as session, session.begin():
        cursor = session.connection().connection.cursor()
        with cursor.copy(f"COPY {table} TO STDOUT (FORMAT BINARY)") as copy:
            pieces = [bytes(piece) for piece in copy]
    with Session(engine) as session, session.begin():
        session.execute(text("DROP TABLE IF EXISTS by_hand"))
        session.execute(text(f"CREATE TABLE by_hand (LIKE {table} INCLUDING ALL)"))
        for name in ("times", "values", "qualities"):
            session.execute(text(f'ALTER TABLE by_hand ALTER COLUMN "{name}" SET COMPRESSION {how}'))
    begun = time.perf_counter()
    with Session(engine) as session, session.begin():
        cursor = session.connection().connection.cursor()
        with cursor.copy("COPY by_hand FROM STDIN (FORMAT BINARY)") as copy:
            for piece in pieces:
                copy.write(piece)
    return time.perf_counter() - begun


def _emptied(engine: Engine) -> None:
    with Session(engine) as session, session.begin():
        session.execute(text("TRUNCATE run CASCADE"))


def clerk() -> Result:
    """An hour of 16 channels at 10 Hz, three times, beside one binary COPY of the same blocks; then a day."""
    with tempfile.TemporaryDirectory() as name, private_cluster() as url:
        engine = engine_for(url, Patient)
        hour, ours, bare, same = Path(name) / "hour", [], [], []
        count = ended_run(hour / "2026-11-26" / "n", HOUR)
        for _ in range(3):
            ours.append(_caught_up(engine, hour))
            bare.append(_copied(engine, "default"))
            same.append(_copied(engine, "lz4"))
            _emptied(engine)
        day = Path(name) / "day"
        ended_run(day / "2026-11-26" / "n", DAY)
        whole = _caught_up(engine, day)
        engine.dispose()
    speed, beside, compressed = (count / median(some) for some in (ours, bare, same))
    return Result(
        "clerk",
        speed / 1000,
        "k samples/s",
        f"at least 0.8 x a binary COPY of the same blocks, stored alike; a day of {CHANNELS} x {RATE} Hz in under {DAY_WITHIN:.0f} s",
        speed >= 0.8 * compressed and whole < DAY_WITHIN,
        {"a COPY as PostgreSQL stores by itself": beside / 1000, "a COPY stored alike": compressed / 1000},
        {"a COPY as PostgreSQL stores by itself": speed / beside, "a COPY stored alike": speed / compressed},
        f"a day of {CHANNELS} channels at {RATE} Hz took {whole:.0f} s",
    )
