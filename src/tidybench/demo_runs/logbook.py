"""The runs of the demo's Logbook, as the scenario tells them."""

import json
import random
import shutil
import tomllib
from collections.abc import Callable, Sequence
from datetime import datetime, timedelta
from pathlib import Path

from tidybench.core.calibration import calibration
from tidybench.core.compile.edit import changed
from tidybench.core.plan.calibration_plan import REFERENCE, CalibrationPlan
from tidybench.core.plan.point_order import PointOrder, PointRule
from tidybench.core.plan.run_plan import RunPlan
from tidybench.core.setup.calculated import CALCULATED
from tidybench.core.values.point import Point
from tidybench.core.values.row_rule import RowRule
from tidybench.demo_runs.played_run import SECOND, Act, PlayedRun
from tidybench.runs.folder import run_folders
from tidybench.standins.device import Device
from tidybench.standins.instruments import (
    BearingMonitor,
    ClearanceGauge,
    LoopFlowMeter,
    PowerAnalyser,
    PressurePair,
    SealRig,
    ShaftPickup,
    SumpSonde,
    ValvePositioner,
    WindingTester,
)
from tidybench.standins.instruments.pressure_pair import SUCTION
from tidybench.standins.loop import Loop

HOUR = 3600 * SECOND
BENCH = (
    "loop-flow-meter", "power-analyser", "pressure-pair-suction", "pressure-pair-discharge", "shaft-pickup", "sump-sonde",
    "bearing-monitor", "valve-positioner", "wear-ring-gauge",
)  # fmt: skip
KINDS: tuple[type[Device], ...] = (
    LoopFlowMeter, PowerAnalyser, PressurePair, ShaftPickup, SumpSonde, BearingMonitor, ValvePositioner, ClearanceGauge,
)  # fmt: skip
GAUGE = "simulated/clearance-gauge"
STEPS = (0.45, 0.60, 0.80, 0.30)
RULE = PointRule.model_validate(
    {
        "channels": {
            "loop-flow": {"band": 6},
            "head": {"band": 1.5},
            "motor-input": {},
            "efficiency": {},
        },
        "steady_s": 10,
        "average_s": 20,
        "give_up_s": 60,
    }
)


def _evening(now: int) -> int:
    """The last evening, at twenty to ten, since which a night of eight hours has gone by."""
    found = (
        datetime.fromtimestamp(now / 1e6).astimezone().replace(hour=21, minute=40, second=0, microsecond=0)
    )
    while found.timestamp() * 1e6 + 8 * HOUR > now:
        found -= timedelta(days=1)
    return round(found.timestamp()) * SECOND


class LogbookFolder:
    """Makes the runs into a folder of their own, and moves each whole one to the others: nobody sees half a run."""

    def __init__(self, runs: Path, setups: Path, now: int, bench: str) -> None:
        """`setups`: the folder of the demo's. `now`: microseconds since 1970 UTC."""
        self._runs, self._making = runs, runs.parent / "demo-runs"
        self._setups, self._now, self._bench = setups, now, bench
        self._made = runs.parent / "demo-runs.json"

    @property
    def missing(self) -> bool:
        """Whether there is something to be made: in a folder without runs, or where it was begun and not ended."""
        if self._made.exists():
            return bool(json.loads(self._made.read_text("utf-8")) < len(RUNS))
        return not run_folders(self._runs)

    def make(self) -> None:
        """Those that are missing, the newest first. Raises OSError."""
        done = json.loads(self._made.read_text("utf-8")) if self._made.exists() else 0
        for number, run in enumerate(RUNS[done:], done + 1):
            shutil.rmtree(self._making, ignore_errors=True)
            self._making.mkdir()
            folder = run(self._making, self._setups, self._now, self._bench)
            place = self._runs / folder.relative_to(self._making)
            place.parent.mkdir(exist_ok=True)
            folder.rename(place)
            self._made.write_text(json.dumps(number), "utf-8")
        shutil.rmtree(self._making, ignore_errors=True)


def _texts(setups: Path, names: Sequence[str] = BENCH, every_s: float | None = None) -> dict[str, str]:
    """Set-ups by instrument; `every_s`: all ask and talk so often."""
    found = {}
    for name in names:
        path = next(
            one for one in (setups, setups.parent / "library") if (one / f"{name}.setup.toml").exists()
        )
        text = (path / f"{name}.setup.toml").read_text("utf-8")
        data = tomllib.loads(text)
        if every_s is not None:
            slower: dict[str, object] = {}
            if "query" in data:
                slower["query"] = [{**one, "every_s": every_s} for one in data["query"]]
            for part in ("listen", "modbus"):
                if part in data:
                    slower[part] = {"every_s": every_s}
            text = changed(text, slower)
        found[str(data["instrument"]["id"])] = text
    return found


def _shop(loop: Loop, kinds: Sequence[type[Device]] = KINDS) -> list[Device]:
    return [kind(Path("unused"), loop) for kind in kinds]


def _acceptance(
    runs: Path, setups: Path, begun: int, bench: str, name: str, item: str, wear: float, fault: bool = False
) -> Path:
    texts = _texts(setups) | {CALCULATED: (setups / "calculated.toml").read_text("utf-8")}
    loops: list[Loop] = []

    def devices(clock: Callable[[], float]) -> list[Device]:
        loops.append(Loop(seed=round(413 + 10 * wear), clock=clock, wear=wear))
        return _shop(loops[0])

    def step(opening: float) -> Act:
        def act(run: PlayedRun) -> None:
            loops[0].set_valve(opening)
            run.mark(f"valve to {opening * 100:.0f} %")

        return act

    def point(opening: float) -> Act:
        sets = [{"name": "Valve", "unit": "%", "value": opening * 100}]
        given = {
            "rule": RULE.model_dump(),
            "name": f"valve {opening * 100:.0f} %",
            "by": "M. Okafor",
            "sets": sets,
        }
        return lambda run: run.take_point(PointOrder.model_validate(given))

    script: list[tuple[float, Act]] = [(5, lambda run: run.press(GAUGE))]
    for number, opening in enumerate(STEPS):
        script += [(120 * number, step(opening)), (120 * number + 70, point(opening))]
    if fault:
        link = "simulated/loop-flow-meter"
        script += [
            (150, lambda run: run.unplug(link)),
            (195, lambda run: run.plug_in(link)),
            (200, lambda run: run.mark("plug of the flow meter was loose")),
        ]
    plan = RunPlan(name=name, item=item, operator="M. Okafor", order="A-1718", points=RULE)
    return PlayedRun(runs, bench, plan, texts, devices, begun, 480, script).play()


def acceptance(runs: Path, setups: Path, now: int, bench: str) -> Path:
    """With valve steps and a point at each."""
    return _acceptance(
        runs, setups, _evening(now) - round(12.4 * HOUR), bench, "Pump 7 acceptance", "P7-0413, rotor 2", 1.0
    )


def repeat(runs: Path, setups: Path, now: int, bench: str) -> Path:
    """The same after re-shimming: the wear ring is closer, and more of the power goes into the water."""
    item = "P7-0413, rotor 2, re-shimmed"
    return _acceptance(
        runs, setups, _evening(now) - 6 * HOUR, bench, "Pump 7 acceptance, repeated", item, 0.0
    )


def unplugged(runs: Path, setups: Path, now: int, bench: str) -> Path:
    """An instrument is unplugged for three quarters of a minute, over the time of a point."""
    return _acceptance(
        runs,
        setups,
        _evening(now) - round(31.3 * HOUR),
        bench,
        "Pump 7 acceptance, first try",
        "P7-0413, rotor 2",
        1.0,
        fault=True,
    )


def night(runs: Path, setups: Path, now: int, bench: str) -> Path:
    """Eight hours with a seal that leaks more and more, a row a minute."""
    texts = _texts(setups, ("seal-rig", "sump-sonde", "bearing-monitor", "loop-flow-meter"), every_s=10.0)
    limits = {"high": 0.035, "hysteresis": 0.003, "delay_s": 60.0}
    data = tomllib.loads(texts["seal-rig"])["channel"]
    channels = [{**one, "limits": limits} if one["id"] == "seal-leak" else one for one in data]
    texts["seal-rig"] = changed(texts["seal-rig"], {"channel": channels})

    def devices(clock: Callable[[], float]) -> list[Device]:
        loop = Loop(seed=8, clock=clock)
        loop.set_valve(0.6)
        made = _shop(loop, (SumpSonde, BearingMonitor, LoopFlowMeter))
        return [*made, SealRig(Path("unused"), loop, clock)]

    rule = RowRule(every_s=60, values=["mean", "minimum", "maximum"])
    plan = RunPlan(
        name="Seal endurance, night", item="seal S-22", operator="M. Okafor", row_rule=rule, carry_on=True
    )
    return PlayedRun(
        runs, bench, plan, texts, devices, _evening(now), 8 * 3600, reason="ended by its plan: after 8 h"
    ).play()


class OnTheTester(PressurePair):
    """The suction transmitter on a dead-weight tester: it shows 1.2 % and 8 mbar too much."""

    truth = 0.0
    _noise = random.Random(11)

    def _pressure(self, unit: int) -> float:
        return (
            1.012 * self.truth + 0.008 + self._noise.gauss(0, 0.0006)
            if unit == SUCTION
            else super()._pressure(unit)
        )


def suction_calibration(runs: Path, setups: Path, now: int, bench: str) -> Path:
    """The suction transmitter by points: as found, its correction, as left."""
    key = "pressure-pair-suction"
    texts = _texts(setups, (key,))
    made: list[OnTheTester] = []

    def devices(clock: Callable[[], float]) -> list[Device]:
        made.append(OnTheTester(Path("unused"), Loop(seed=3, clock=clock)))
        return list(made)

    def set_to(truth: float) -> Act:
        def act(run: PlayedRun) -> None:
            made[0].truth = truth

        return act

    def point(truth: float, stage: str) -> Act:
        given = {
            "rule": rule.model_dump(),
            "stage": stage,
            "by": "J. Lindqvist",
            "sets": [{"name": REFERENCE, "unit": "bar", "value": truth}],
        }
        return lambda run: run.take_point(PointOrder.model_validate(given))

    def take_in(run: PlayedRun) -> None:
        points = [Point.model_validate(one) for one in run.points]
        found = calibration(plan, "bar", points).correction
        assert found is not None
        step = found.step.model_dump(exclude={"degree"})
        step["points"] = [list(pair) for pair in step["points"]]
        channel = tomllib.loads(texts[key])["channel"][0]
        certificate = {"certificate": "PP-11-10", "range": "0 to 1 bar", "expanded": 0.0011}
        run.change_setup(
            key,
            changed(texts[key], {"channel": [{**channel, "scaling": [step], "calibration": certificate}]}),
        )
        run.mark(f"correction of Suction taken in: {found.words}")

    rule = PointRule.model_validate(
        {"channels": {"suction": {"band": 0.01}}, "steady_s": 5, "average_s": 10, "give_up_s": 60}
    )
    plan = CalibrationPlan(
        channel="suction",
        standard="dead-weight tester 4, certificate C-118",
        reference_expanded=0.0008,
        allowed=0.005,
    )
    script: list[tuple[float, Act]] = []
    second = 5.0
    for stage, truths in (("as found", (0.0, 0.25, 0.5, 0.75, 1.0)), ("as left", (0.0, 0.5, 1.0))):
        for truth in truths:
            script += [(second, set_to(truth)), (second + 4, point(truth, stage))]
            second += 30
        if stage == "as found":
            script.append((second, take_in))
            second += 10
    run = RunPlan(
        name="Calibration of Suction", item="PT-11", operator="J. Lindqvist", points=rule, calibrates=plan
    )
    return PlayedRun(
        runs, bench, run, texts, devices, _evening(now) - 36 * HOUR, round(second + 10), script
    ).play()


class AtOnce(WindingTester):
    """The winding tester, whose progress goes before its table and takes no time of ours."""

    def factory(self) -> None:
        super().factory()
        self.said = b""

    def progress(self, line: bytes) -> None:
        """Kept until the table is there."""
        self.said += line

    def answer(self, query: bytes) -> bytes | None:
        """With what was said before it."""
        answer = super().answer(query)
        said, self.said = self.said, b""
        return said + answer if answer is not None else None


def _winding(runs: Path, setups: Path, begun: int, bench: str, name: str, shorted: bool) -> Path:
    def devices(clock: Callable[[], float]) -> list[Device]:
        made = AtOnce(Path("unused"), Loop(seed=118, clock=clock))
        made.fault("shorted turns", shorted)
        return [made]

    link = "simulated/winding-tester"
    script: list[tuple[float, Act]] = [
        (6, lambda run: run.command(link, "sweep")),
        (14, lambda run: run.mark("leads swapped")),
        (20, lambda run: run.command(link, "sweep")),
    ]
    plan = RunPlan(name=name, item="motor MT-7", operator="J. Lindqvist", order="A-1722")
    return PlayedRun(
        runs, bench, plan, _texts(setups, ("winding-tester",)), devices, begun, 30, script
    ).play()


def winding(runs: Path, setups: Path, now: int, bench: str) -> Path:
    """A motor's winding with shorted turns, swept twice."""
    return _winding(runs, setups, _evening(now) - 9 * HOUR, bench, "Winding MT-7", shorted=True)


def winding_repaired(runs: Path, setups: Path, now: int, bench: str) -> Path:
    """The same after its repair."""
    begun = _evening(now) - round(4.5 * HOUR)
    return _winding(runs, setups, begun, bench, "Winding MT-7, repaired", shorted=False)


RUNS = (acceptance, repeat, night, unplugged, suction_calibration, winding_repaired, winding)
"""The one that is looked at first comes first."""
