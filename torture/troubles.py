"""What is done to a bench: each trouble at its instant, for its time, and undone."""

import contextlib
import random
import signal
import time
from collections.abc import Callable
from dataclasses import dataclass

import httpx

from torture.bench import TorturedBench, TortureError
from torture.peers import PEERS
from torture.small_disk import fill

WEIGHTS = {
    "kill recorder": 4, "kill web": 2, "kill database": 2, "stop recorder": 3, "stop web": 2, "stop database": 2,
    "full disk": 2, "unplug": 4, "fault": 6, "set-up": 2, "release": 2, "mark": 3, "second start": 1, "procedure": 5,
    "point": 5, "destination": 2, "empty database": 1, "sweep": 3, "capture": 4, "clock": 2, "slow disk": 3, "failing disk": 2,
}  # fmt: skip
"""How often each comes up, beside the others."""

LAST = {"end": 4, "kill all": 2, "power cut": 3}
"""How a run may end."""

LONGEST = {"stop recorder": 3.0, "stop web": 3.0, "stop database": 6.0, "full disk": 4.0, "unplug": 2.0, "fault": 2.0, "release": 2.0, "slow disk": 3.0, "failing disk": 3.0}  # fmt: skip
"""Seconds that a trouble may last."""


@dataclass(frozen=True, slots=True)
class Trouble:
    """One: `at` so many seconds after the run began, `lasts` so many. `whom`: an instrument, where it concerns one; `how`: its fault; `by`: seconds that
    the clock is set forward."""

    at: float
    what: str
    lasts: float = 0.0
    whom: str = ""
    how: str = ""
    by: float = 0.0

    @property
    def words(self) -> str:
        """As a line of a script."""
        parts = [
            f"{self.at:6.2f} s  {self.what}",
            self.whom,
            self.how,
            f"{self.by:+.1f} s" if self.by else "",
        ]
        return " ".join(part for part in parts if part) + (f" for {self.lasts:.2f} s" if self.lasts else "")


@dataclass(frozen=True, slots=True)
class Script:
    """A run that is broken: for so many seconds, with these troubles, and ended so. `rule`: its rows; `ends`: what ends it by itself; `before_s`: seconds
    that come along from memory; `carry_on`: it goes on after everything was stopped."""

    seed: int
    seconds: float
    rule: str
    troubles: tuple[Trouble, ...]
    last: str
    ends: str = "by hand"
    before_s: float = 0.0
    carry_on: bool = False

    @property
    def words(self) -> str:
        """To be read, and made a test of."""
        lines = [
            f"seed {self.seed}: a run with {self.rule}, {self.seconds:.0f} s, {self.before_s:g} s from memory, ends {self.ends}{', carries on' if self.carry_on else ''}",
            *(one.words for one in self.troubles),
        ]
        return "\n".join([*lines, f"then: {self.last}"])


def script_of(seed: int, bench: TorturedBench, seconds: float) -> Script:
    """The same for the same seed."""
    dice = random.Random(seed)
    kinds = [kind for kind in WEIGHTS if bench.small or kind != "full disk"]
    troubles = []
    for _ in range(dice.randint(2, 7)):
        what = dice.choices(kinds, [WEIGHTS[kind] for kind in kinds])[0]
        whom = dice.choice([*bench.devices, *[kind.name for kind in PEERS.values()] * 4])
        how = ""
        if what == "fault":
            how = dice.choice([one for one in bench.devices[whom].can_show() if one != "stuck"])
        lasts = dice.uniform(0.1, LONGEST[what]) if what in LONGEST else 0.0
        concerned = whom if what in ("unplug", "fault", "set-up", "release") else ""
        by = dice.choice([-3600.0, -2.5, -0.7, 0.7, 2.5, 3600.0]) if what == "clock" else 0.0
        troubles.append(Trouble(dice.uniform(0.2, seconds), what, lasts, concerned, how, by))
    troubles.sort(key=lambda one: one.at)
    last = dice.choices([*LAST], [*LAST.values()])[0]
    return Script(
        seed, seconds, dice.choice([*RULES]), tuple(troubles), last, dice.choices([*ENDS], [4, 1, 1, 1, 1])[0], dice.choice([0, 0, 1.5, 4]), dice.random() < 0.4
    )  # fmt: skip


RULES: dict[str, dict[str, object]] = {
    "steady rows": {"kind": "steady rows"},
    "each reading": {"kind": "each reading"},
    "files": {"kind": "each reading", "file_mb": 0.02},
}

AFTER_S, ROWS, LEVEL, BAND, SETTLED_S = 5.0, 40, 18.0, 6.5, 0.4
ENDS: dict[str, dict[str, object]] = {
    "by hand": {},
    "after a time": {"after_s": AFTER_S},
    "with its rows": {"rows": ROWS},
    "on a level": {
        "when": [{"channel": "talking-level", "side": "above", "value": LEVEL}],
    },
    "settled": {"settled": {"bands": {"talking-level": BAND}, "for_s": SETTLED_S}},
}
"""What ends a run, as its plan says it."""


def carry_out(bench: TorturedBench, script: Script) -> None:
    """All troubles, each undone when its time is over. Raises TortureError."""
    begun = time.monotonic()
    waiting: list[tuple[float, Callable[[], None]]] = [
        (one.at, _doing(bench, one, undo=False)) for one in script.troubles
    ]
    waiting += [(one.at + one.lasts, _doing(bench, one, undo=True)) for one in script.troubles if one.lasts]
    for at, act in sorted(waiting, key=lambda one: one[0]):
        time.sleep(max(0.0, begun + at - time.monotonic()))
        with contextlib.suppress(httpx.HTTPError):  # a web server that is away is asked in vain
            act()
    time.sleep(max(0.0, begun + script.seconds - time.monotonic()))


def _doing(bench: TorturedBench, one: Trouble, *, undo: bool) -> Callable[[], None]:
    verb, _, name = one.what.partition(" ")

    def act() -> None:
        match verb:
            case "kill":
                bench.signal(name, signal.SIGKILL)
            case "stop":
                bench.signal(name, signal.SIGCONT if undo else signal.SIGSTOP)
            case "full":
                if undo:
                    (bench.places.data / "filled").unlink(missing_ok=True)
                else:
                    fill(bench.places.data)
            case "unplug":
                bench.devices[one.whom].fault("unplugged", not undo)
            case "fault":
                bench.devices[one.whom].fault(one.how, not undo)
            case "set-up":
                text = next((text for text in bench.texts.values() if f'id = "{one.whom}"' in text), "")
                if text:
                    bench.post("/api/setups", {"text": text + f"\n# looked through at {time.time_ns()}\n"})
            case "release":
                path = "/api/ports/take-back" if undo else "/api/ports/release"
                bench.post(path, {"link": f"simulated/{one.whom}"})
            case "procedure" | "sweep":
                bench.act(sweep=one.what == "sweep")
            case "capture":
                bench.capture(f"capture {one.at:.2f}")
            case "clock":
                bench.move_clock(one.by)
            case "slow":
                bench.slow_disk(0.0 if undo else 0.4)
            case "failing":
                bench.failing_disk(not undo)
            case "mark":
                bench.post("/api/run/marks", {"text": f"mark {one.at:.2f}"})
            case "point":
                bench.take_point(f"point {one.at:.2f}")
            case "destination":
                bench.hand_on()
            case "empty":
                bench.empty_database()
            case "second":
                if bench.supervisor is not None and not bench.start_again_beside():
                    raise TortureError("a second start with the same folder was not refused")

    return act
