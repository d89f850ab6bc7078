"""The test points of the run in progress: taken, given up, corrected. The writer's alone."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import partial

from tidybench.core.plan.point_order import OrderedPoint, PointOrder
from tidybench.core.plan.point_taking import Averaged, PointTaking, given_up
from tidybench.core.plan.steadiness import MIN_SAMPLES
from tidybench.core.tape.events import Note, PointTaken
from tidybench.core.uncertainty import Uncertainties
from tidybench.core.values.figure import figure
from tidybench.core.values.point import Point, newest_of
from tidybench.recorder.calibrating import Adjustment, adjustment, checked_calibration_point
from tidybench.recorder.clock import Clock
from tidybench.recorder.employed import Employed
from tidybench.recorder.journal import Journal
from tidybench.recorder.planned_end import watched
from tidybench.recorder.refused import RequestRefused, without_controls
from tidybench.recorder.state import Zero
from tidybench.runs.log import RunLog
from tidybench.wire.channels import ChannelStatus
from tidybench.wire.runs import CorrectPoint, TakingStatus


class PointsInProgress:
    """`taking`: the point that is being taken, None for none. Everything here happens in the writer's thread."""

    def __init__(self, clock: Clock, journal: Journal) -> None:
        self._clock, self._journal = clock, journal
        self.taking: PointTaking | None = None
        self._log: RunLog | None = None  # of the point that is being taken
        self._adjusted: Adjustment | None = None
        # The run, and what its first point as found was taken under; the number of the last one ordered, which may not be in its file yet.
        self._first: tuple[str, Adjustment] | None = None
        self._newest = ("", 0)

    def take_point(
        self, log: RunLog | None, order: PointOrder, statuses: Sequence[ChannelStatus], employed: Employed
    ) -> None:
        """Begin to take one. Raises RequestRefused."""
        if log is None:
            raise RequestRefused("conflict", "No run is on: a test point belongs to one. Begin it first.")
        if self.taking is not None:
            raise RequestRefused(
                "conflict", f"Point {self.taking.number} is being taken. Wait for it, or give it up."
            )
        plan = log.state.calibrates
        checked_calibration_point(plan, order)
        averaged = checked_point(order, statuses)
        beside: dict[str, int] = {}
        known = Uncertainties(employed.setups, employed.calculations.calculated)
        for key, one in averaged.items():
            bases = known.bases(key)
            if bases:
                beside |= {base: employed.numbers[base] for base in bases}
                averaged[key] = replace(one, stated=partial(known.standard_uncertainty, key))
        zeros = {one.id: one.zero for one in statuses}
        self._adjusted = adjustment(plan.channel, employed, zeros.get(plan.channel, 0.0)) if plan else None
        if plan is not None and self._adjusted is not None:
            if order.stage == "as found":
                self._must_be_as_found(log.state.id, self._adjusted)
            one = averaged[plan.channel]
            averaged[plan.channel] = replace(one, uncorrected=self._adjusted.uncorrected())
        run, newest = self._newest
        there = [point.number for point in log.points]
        number = max(newest if run == log.state.id else 0, *there, 0) + 1
        self._newest = (log.state.id, number)
        now = self._clock.now()
        self.taking, self._log = PointTaking(order, number, averaged, now, beside), log
        log.order_point(OrderedPoint(number=number, at=now, order=order))
        self._journal.put("", Note(now, "point ordered", f"{number} {order.name}".strip()))

    def _must_be_as_found(self, run: str, now: Adjustment) -> None:
        """Raises RequestRefused where something was adjusted since the run's first point as found."""
        if self._first is None or self._first[0] != run:
            self._first = (run, now)
        elif not now.is_that_of(self._first[1]):
            raise RequestRefused(
                "conflict",
                f"How {now.part.name} is made, or its zero, was changed since the first point as found. Undo that, or take this point "
                "as left.",
            )

    def stop_point(self, number: int, now_then: bool) -> None:
        """Do not wait any longer: average at once, or give it up. Raises RequestRefused."""
        taking = self.taking
        if taking is None or taking.number != number:
            raise RequestRefused("conflict", f"Point {number} is not being taken any more.")
        if now_then:
            taking.do_not_wait(self._clock.now())
        else:
            self.give_up("by a person")

    def give_up(self, why: str) -> None:
        """The one that is being taken, if one is."""
        if self.taking is not None:
            self._keep(self.taking.given_up(self._clock.now(), why))

    def resume(self, log: RunLog) -> None:
        """A run goes on after a restart: the point that was being taken then is not taken, and that is said."""
        ordered = log.state.ordered
        if ordered is None:
            return
        self._log, self._newest = log, (log.state.id, ordered.number)
        if all(point.number != ordered.number for point in log.points):
            now = self._clock.now()
            self._keep(given_up(ordered.order, ordered.number, now, "Tidy Bench was restarted meanwhile"))
        else:
            log.order_point(None)

    def leave(self) -> None:
        """The recorder ends, the run goes on at the next start: nothing is being taken any more."""
        self.taking = None

    def look(self, now: int, employed: Employed, zeros: Mapping[str, Sequence[Zero]]) -> None:
        """Whether the point that is being taken is taken, or given up."""
        if self.taking is None:
            return
        was = self._adjusted
        if was is not None:
            kept = zeros.get(was.channel)
            if not was.is_that_of(adjustment(was.channel, employed, kept[-1].amount if kept else 0.0)):
                self.give_up("the correction or the zero was changed meanwhile")
                return
        point = self.taking.look(now)
        if point is not None:
            self._keep(point)

    def _keep(self, point: Point) -> None:
        """Onto the tape; its file follows with the next flush."""
        self.taking = self._adjusted = None
        if self._log is not None:
            self._log.order_point(None)
        self._journal.put("", PointTaken(point.at, point.model_dump()))

    def correct_point(self, log: RunLog | None, wanted: CorrectPoint) -> None:
        """Another version of a point; the old ones stay. Raises RequestRefused."""
        points = newest_of(log.points) if log is not None else []
        old = next((one for one in points if one.number == wanted.number), None)
        if old is None:
            raise RequestRefused("not found", f"The run in progress has no point {wanted.number}.")
        if old.version != wanted.version:
            raise RequestRefused(
                "conflict", f"Point {wanted.number} was corrected meanwhile. Look at it again."
            )
        given = wanted.model_dump(include={"name", "note", "stage", "sets", "typed", "void"})
        by = wanted.by or old.by
        point = Point.model_validate(old.model_dump() | given | {"version": old.version + 1, "by": by})
        self._journal.put("", PointTaken(self._clock.now(), point.model_dump()))

    def status(self, now: int) -> TakingStatus | None:
        """How the one that is being taken goes; None for none."""
        taking = self.taking
        if taking is None:
            return None
        return TakingStatus(
            number=taking.number,
            name=taking.order.name,
            unsteady=taking.unsteady(now),
            begun_at=taking.begun_at,
            since=taking.since,
            until=taking.until,
            gives_up_at=taking.gives_up_at,
        )


def checked_point(order: PointOrder, channels: Sequence[ChannelStatus]) -> dict[str, Averaged]:
    """The channels that a point averages, by id. Raises RequestRefused where one cannot be averaged."""
    known = {channel.id: channel for channel in channels}
    for key, part in order.rule.channels.items():
        channel = known.get(key)
        if channel is None:
            raise RequestRefused(
                "invalid",
                f"The channel “{key}” is not on the bench. Leave it out, or connect its instrument.",
            )
        if channel.clock or channel.states:
            what = "a device's clock" if channel.clock else "a channel of states"
            raise RequestRefused("invalid", f"{channel.name} is {what}: it has no mean. Leave it out.")
        least = channel.interval_s * MIN_SAMPLES
        if part.band is not None and channel.interval_s * (MIN_SAMPLES - 1) > order.rule.steady_s:
            raise RequestRefused(
                "invalid",
                f"{channel.name} has a value every {figure(channel.interval_s)} s: {figure(order.rule.steady_s)} s are too short "
                f"to call it steady. Give at least {figure(least)} s.",
            )
    for text in (order.name, order.by, order.note, *(one.name for one in (*order.sets, *order.typed))):
        without_controls(text, "What is given of a point")
    found = watched(list(order.rule.channels), known)
    return {key: Averaged(found[key], known[key].decimals) for key in order.rule.channels}
