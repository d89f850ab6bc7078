"""An earlier run of two instruments, as the demo's are made: for tests that want samples, tape and CSV of a whole run."""

from collections.abc import Callable
from pathlib import Path

from tidybench.core.plan.run_plan import RunPlan
from tidybench.demo_runs.played_run import Act, PlayedRun
from tidybench.runs.folder import run_folders
from tidybench.standins.device import Device
from tidybench.standins.instruments import LoopFlowMeter, PowerAnalyser
from tidybench.standins.loop import Loop

STEPS = ((0, 0.45), (120, 0.60), (240, 0.80), (360, 0.45))
LENGTH = 480


def make_runs(runs: Path, setups: Path, now: int, bench: str) -> bool:
    """An acceptance test with valve steps, a day before `now` (microseconds), unless there are runs."""
    if run_folders(runs):
        return False
    begun = (now // 1_000_000 - 86_400 - 3_000) * 1_000_000
    texts = {
        name: (setups / f"{name}.setup.toml").read_text("utf-8")
        for name in ("loop-flow-meter", "power-analyser")
    }
    loops: list[Loop] = []

    def devices(clock: Callable[[], float]) -> list[Device]:
        loops.append(Loop(seed=413, clock=clock))
        return [LoopFlowMeter(Path("unused"), loops[0]), PowerAnalyser(Path("unused"), loops[0])]

    def step(opening: float) -> Act:
        def act(run: PlayedRun) -> None:
            loops[0].set_valve(opening)
            run.mark(f"valve to {opening * 100:.0f} %")

        return act

    plan = RunPlan(name="Pump 7 acceptance", item="P7-0413, rotor 2", operator="M. Okafor")
    script = [(at, step(opening)) for at, opening in STEPS]
    PlayedRun(runs, bench, plan, texts, devices, begun, LENGTH, script).play()
    return True
