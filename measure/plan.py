"""A run with all that can be on: conditions, ends, test points one after the other, fifty reactions, a procedure that waits."""

from collections.abc import Iterator, Sequence
from contextlib import AbstractContextManager, contextmanager, nullcontext
from threading import Event, Thread
from typing import Literal

from measure.destinations import four_on
from tidybench.core.plan.ends import Ends
from tidybench.core.plan.run_plan import RunPlan
from tidybench.core.values.row_rule import RowRule
from tidybench.wire.client import Client
from tidybench.wire.places import Places
from tidybench.wire.procedures import StartProcedure
from tidybench.wire.reactions import ApplyReactions, KeptReactions
from tidybench.wire.runs import TakePoint

RULE = {"steady_s": 1, "average_s": 1, "give_up_s": 5}


def full_plan(channels: Sequence[str]) -> RunPlan:
    """Levels that are never reached, bands that nothing stays within, for all of these channels."""
    ends = {
        "after_s": 86_400,
        "rows": 10**9,
        "when": [{"channel": key, "side": "above", "value": 1e12, "for_s": 5} for key in channels[:16]],
        "settled": {"bands": dict.fromkeys(channels, 1e-09), "for_s": 20},
    }
    return RunPlan(
        name="measure", row_rule=RowRule(kind="each reading"), ends=Ends.model_validate(ends), carry_on=True
    )


REACTION = """
[[reaction]]
id = "r{n}"
name = "Never {n}"
channel = "{channel}"
above = 1e12
below = -1e12
for_s = 1.0
not_measured_s = 3600.0
do = [{{ when = "above", mark = "never" }}]
"""


def _act(client: Client, channels: Sequence[str]) -> None:
    """Fifty reactions, spread over the channels, and a procedure that waits on the first of them."""
    text = "".join(REACTION.format(n=n, channel=channels[n % len(channels)]) for n in range(50))
    wait = f'procedure Waits\n  wait until "{channels[0]}" > 1000000000 [V], at most 24 h\n'
    for request in (ApplyReactions(kept=KeptReactions(text=text)), StartProcedure(text=wait)):
        answer, _ = client.ask(request)
        if answer.trouble:
            raise RuntimeError(answer.why)


Beside = Literal["nothing", "plan", "destinations"]
"""What is on besides what a row measures."""


def beside(what: Beside, places: Places, channels: Sequence[str]) -> AbstractContextManager[None]:
    """Have it on for a while; the plan's run is for the caller to begin."""
    if what == "nothing":
        return nullcontext()
    return all_on(places, channels) if what == "plan" else four_on(places, channels)


@contextmanager
def all_on(places: Places, channels: Sequence[str]) -> Iterator[None]:
    """Reactions and a procedure, and test points of all these channels, one after the other, each averaged or given up."""
    done = Event()
    acting = Client(places.control, patience=20)
    _act(acting, channels)
    acting.close()

    def take() -> None:
        client = Client(places.control, patience=20)
        wide = {key: {"band": 1e9} for key in channels}
        while not done.wait(0.5):
            client.ask(TakePoint.model_validate({"order": {"rule": {**RULE, "channels": wide}}}))
        client.close()

    thread = Thread(target=take)
    thread.start()
    try:
        yield
    finally:
        done.set()
        thread.join()
