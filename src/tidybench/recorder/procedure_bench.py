"""What procedures have done by the writer and the service: marks, points, runs."""

from collections.abc import Callable, Sequence
from concurrent.futures import Future

from tidybench.core.curves.capture_order import CaptureOrder
from tidybench.core.plan.point_order import PointChannel, PointOrder, PointRule
from tidybench.core.plan.run_plan import RunPlan
from tidybench.recorder.conductor import Bench, Told, answered
from tidybench.recorder.mailbox import Mailbox
from tidybench.recorder.run_in_progress import checked_mark
from tidybench.recorder.writer import Writer
from tidybench.wire.runs import BeginRun

GIVE_UP = 60.0
"""Seconds besides the average after which a point is given up."""


class ProcedureBench(Bench):
    """Calls go to the owners' mailboxes; nobody waits for them here."""

    def __init__(
        self,
        writer: Callable[[], Writer],
        service: Mailbox,
        begin: Callable[[BeginRun], None],
        end: Callable[[str, str], "Future[None]"],
        zero: Callable[[str], str],
        read: Callable[[str], None],
    ) -> None:
        """`begin`, `end`, `zero`, `read`: the service's, which remembers the run and what is taken off."""
        self._writer, self._service = writer, service
        self._begin, self._end, self._zero, self._read = begin, end, zero, read

    def mark(self, text: str, by: str, told: Told) -> None:
        writer = self._writer()

        def call() -> str:
            writer.mark(checked_mark(text), by)
            return f"marked “{text}”"

        answered(writer.mailbox.send(call), told)

    def take_point(self, name: str, span: int, by: str, told: Told) -> None:
        writer = self._writer()

        def call() -> str:
            channels = {
                one.id: PointChannel() for one in writer.channels() if not one.states and not one.problem
            }
            seconds = max(0.1, span / 1e6)
            rule = PointRule(channels=channels, steady_s=0.1, average_s=seconds, give_up_s=seconds + GIVE_UP)
            writer.take_point(PointOrder(rule=rule, name=name[:120], by=by[:120]))
            taking = writer.run_in_progress.points.taking
            assert taking is not None
            return str(taking.number)

        answered(writer.mailbox.send(call), told)

    def read(self, instrument: str, told: Told) -> None:
        def call() -> str:
            self._read(instrument)
            return "asked"

        answered(self._service.send(call), told)

    def draw(
        self, owner: str, name: str, columns: Sequence[tuple[str, str]], values: Sequence[float], told: Told
    ) -> None:
        writer = self._writer()

        def call() -> str:
            rows = writer.curves.row(owner, name, columns, values, writer.now())
            return f"row {rows} of “{name}”"

        answered(writer.mailbox.send(call), told)

    def drawn(self, owner: str, why: str) -> None:
        writer = self._writer()
        writer.mailbox.post(lambda: writer.curves.whole(owner, why, writer.now()))

    def capture(self, channels: Sequence[str], samples: int, before: int, at_most: int, told: Told) -> None:
        writer = self._writer()
        order = CaptureOrder(channels=list(channels), samples=samples, before=before)

        def call() -> str:
            writer.start_capture(order, told, at_most)
            return ""

        answered(writer.mailbox.send(call), lambda good, words: None if good else told(False, words))

    def zero(self, channel: str, told: Told) -> None:
        answered(self._service.send(lambda: self._zero(channel)), told)

    def begin_run(self, name: str, operator: str, told: Told, plan: RunPlan | None = None) -> None:
        wanted = BeginRun(name=name[:120], operator=operator)
        if plan is not None:
            now = {"operator": plan.operator or operator, "begins": {"before_s": plan.begins.before_s}}
            wanted = BeginRun.model_validate(plan.model_dump() | now)

        def call() -> str:
            self._begin(wanted)
            return f"the run “{wanted.name}” has begun"

        answered(self._service.send(call), told)

    def end_run(self, reason: str, told: Told) -> None:
        writer = self._writer()

        def call() -> str:
            log = writer.run_in_progress.log
            if log is None:
                return "no run is on"
            self._end(log.state.id, f"ended by {reason}")
            return f"the run “{log.state.name}” has ended"

        answered(self._service.send(call), told)
