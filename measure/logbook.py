"""Row `logbook-10k`: the list of runs with ten thousand in it, and with a hundred thousand."""

import time
import uuid
from collections.abc import Callable

from sqlalchemy import Engine, text
from sqlalchemy.orm import Session

from measure.result import Result, median
from measure.stack import private_cluster
from tidybench.records.database import Patient, engine_for, upgrade
from tidybench.records.run_list import Wanted, found_runs
from tidybench.records.setups import bench_id

FEW, MANY = 10_000, 100_000
PAGE = 50
WITHIN_MS = 200.0
GROWS = 1.5
ROUNDS = 9

FILL = """
    INSERT INTO run (id, bench_id, name, item, operator, row_rule, begun_at, ended_at, status, reason, folder, csv, followed, complete, counts, repairs, alarms, searched)
    SELECT gen_random_uuid(), :bench, 'Pump ' || n % 97, 'P7-' || lpad(n::text, 6, '0'), 'M. Okafor', 'steady rows', 1795416791000000 + n * 60000000::bigint,
        1795416791000000 + n * 60000000::bigint + 480000000, 'ended', '', 'f', 'c', 9600, true, '{}', '[]', n % 5,
        'Pump ' || n % 97 || ' P7-' || lpad(n::text, 6, '0') || ' M. Okafor Loop flow Motor input Discharge Suction Vibration'
    FROM generate_series(CAST(:first AS int), CAST(:last AS int)) AS n
"""

BARE = "SELECT id, name, item, operator, begun_at, ended_at FROM run ORDER BY begun_at DESC LIMIT 50"


def _fill(engine: Engine, first: int, last: int) -> None:
    with Session(engine) as session, session.begin():
        bench = bench_id(session, "measuring", str(uuid.UUID(int=7)))
        session.execute(text(FILL), {"bench": bench, "first": first, "last": last})
        session.execute(
            text(
                "INSERT INTO run_channel (run_id, number, position, key, name, unit, decimals, interval_s, instrument, high) "
                "SELECT run.id, c, c, 'c' || c, 'Channel ' || c, 'V', 2, 1, 'i', 5 FROM run, generate_series(1, 4) AS c WHERE run.item > 'P7-' || lpad(CAST(:first AS text), 6, '0')"
            ),
            {"first": str(first - 1)},
        )
    with engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
        connection.execute(text("VACUUM ANALYZE run"))
        connection.execute(text("VACUUM ANALYZE run_channel"))


def _took(ask: Callable[[Session], object], engine: Engine) -> float:
    """Milliseconds, the median."""
    found = []
    for _ in range(ROUNDS):
        begun = time.perf_counter()
        with Session(engine) as session:
            ask(session)
        found.append((time.perf_counter() - begun) * 1000)
    return median(found)


def _slowest(engine: Engine) -> float:
    """Of the list, a search for one run, a search that finds many, a filter, and a sort: what takes longest."""
    wanted = (
        Wanted(),
        Wanted("p7-004321"),
        Wanted("okafor pump 13"),
        Wanted(verdict="beyond", since=1_795_500_000_000_000),
        Wanted(sort="item", falling=False),
    )
    return max(_took(lambda session, one=one: found_runs(session, one, "", PAGE), engine) for one in wanted)  # type: ignore[misc]


def logbook() -> Result:
    """A page of fifty, the slowest of five ways to ask; beside fifty rows by SQL, and with ten times as many runs."""
    with private_cluster() as url:
        engine = engine_for(url, Patient)
        upgrade(engine)
        _fill(engine, 1, FEW)
        ours = _slowest(engine)
        bare = _took(lambda session: session.execute(text(BARE)).all(), engine)
        _fill(engine, FEW + 1, MANY)
        many = _slowest(engine)
        engine.dispose()
    return Result(
        "logbook-10k",
        ours,
        "ms",
        f"a page in {WITHIN_MS:.0f} ms, painted; with {MANY // 1000} 000 runs at most {GROWS} x",
        ours <= WITHIN_MS and many <= GROWS * max(ours, 20.0),
        {"fifty rows by SQL": bare, f"{MANY // 1000} 000 runs": many},
        {"fifty rows by SQL": ours / bare, f"{MANY // 1000} 000 runs": many / ours},
        "the slowest of list, search, filter and sort; without the browser's painting",
    )
