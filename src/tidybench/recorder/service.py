"""Answers the requests of the web server and of commands, one at a time.

A request that must wait for the disk (a run that ends) is answered when that is done; others are answered meanwhile.
"""

import logging
import threading
import time
import uuid
from collections import deque
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import dataclass
from math import isfinite
from pathlib import Path
from typing import Any, TypeVar

import zmq
from pydantic import ValidationError

from tidybench import __version__
from tidybench.core.diagnosis.addresses import AddressError, query_maker
from tidybench.core.plan.run_plan import RunPlan
from tidybench.core.setup.destinations import load_destinations
from tidybench.core.setup.toml import SetupError
from tidybench.logs import last_errors
from tidybench.recorder.acts import Acts
from tidybench.recorder.clock import Clock
from tidybench.recorder.conductor import NOBODY, Conductor, Told
from tidybench.recorder.employment import Employment
from tidybench.recorder.forwarder import Forwarder
from tidybench.recorder.hand_commands import HandCommands
from tidybench.recorder.held_ports import HeldPorts
from tidybench.recorder.mailbox import Mailbox
from tidybench.recorder.reaction_desk import REACTION_REQUESTS, ReactionDesk, ReactionRequest
from tidybench.recorder.refused import RequestRefused, without_controls
from tidybench.recorder.run_in_progress import checked_begin, checked_mark
from tidybench.recorder.searches.desk import SearchDesk
from tidybench.recorder.state import Armed, KeptProcedure, StateFile
from tidybench.recorder.writer import Writer
from tidybench.recorder.zeros import Zeros
from tidybench.runs.pictures import sync_pictures
from tidybench.runs.run_state import RunEnd
from tidybench.wire.channels import ZeroChannel
from tidybench.wire.commands import (
    ActStatus,
    CommandStatus,
    GetAct,
    GetCommand,
    GiveCommand,
    SendCommand,
    WriteRegister,
)
from tidybench.wire.crossings import Acknowledge
from tidybench.wire.curves import CurveRowsAnswer, GetCurve, StartCapture, StopCapture
from tidybench.wire.forwarding import ApplyForwarding, GetForwarding
from tidybench.wire.instruments import ReadOnce
from tidybench.wire.ports import GetPorts, LabelPort, ReleasePort, TakeBackPort
from tidybench.wire.procedures import (
    AnswerQuestion,
    AnswerWithPicture,
    GetProcedure,
    PauseProcedure,
    SkipWait,
    StartProcedure,
    StopProcedure,
)
from tidybench.wire.protocol import PROTOCOL, REQUEST, Answer, Hello, Request
from tidybench.wire.runs import (
    AddMark,
    ArmRun,
    BeginArmed,
    BeginRun,
    CallOff,
    ChangeEnds,
    CorrectMark,
    CorrectPoint,
    EndRun,
    GetGlance,
    StopPoint,
    TakePoint,
)
from tidybench.wire.safe import SafeStatus
from tidybench.wire.searches import GetSearch, SearchStatus, StartSearch, StopSearch
from tidybench.wire.setups import ApplySetups, GetSetups
from tidybench.wire.status import GetErrors, GetHistory, GetStatus, Status
from tidybench.wire.tape import GetTape

logger = logging.getLogger(__name__)

T = TypeVar("T")
Answered = Answer | Future[Answer]

LOOK_EVERY, LOOK_SOON = 200, 10
"""Milliseconds between two looks at anything but requests; sooner where an answer is waited for."""

PATIENCE = 60.0
"""Seconds after which a request that waits for the disk is answered that it did not happen."""


@dataclass(slots=True)
class Parts:
    """What requests are carried out by."""

    writer: Writer
    employment: Employment
    zeros: Zeros
    ports: HeldPorts
    searches: SearchDesk
    commands: HandCommands
    acts: Acts
    conductor: Conductor
    uploads: Path
    reactions: ReactionDesk
    forwarder: Forwarder
    state: StateFile
    clock: Clock


@dataclass(slots=True)
class _Waiting:
    head: list[bytes]
    answer: "Future[Answer]"
    until: float


class Service(threading.Thread):
    """A thread around the control socket. Frames: identity, request number, JSON; behind the answer, what it is about.

    `mailbox`: what is to be done in this thread between two requests.
    """

    def __init__(
        self, parts: Parts, mailbox: Mailbox, context: "zmq.Context[zmq.Socket[bytes]]", endpoint: str
    ) -> None:
        super().__init__(name="service", daemon=True)
        self.mailbox = mailbox
        self._parts = parts
        self._socket = context.socket(zmq.ROUTER)
        self._socket.setsockopt(zmq.LINGER, 0)
        self._socket.bind(endpoint)
        self._stopping = threading.Event()
        self._waiting: deque[_Waiting] = deque()
        self._table: dict[type, Callable[[Any], Answered]] = {
            Hello: self._hello,
            GetStatus: lambda _: Answer(status=self._status()),
            GetErrors: lambda _: Answer(errors=last_errors.newest()),
            GetPorts: lambda _: Answer(ports=self._status().ports),
            GetSetups: lambda _: self._setups(),
            ApplySetups: self._apply,
            BeginRun: self._begin,
            ArmRun: self._arm,
            CallOff: self._call_off,
            GetGlance: self._glance,
            BeginArmed: self._begin_armed,
            EndRun: self._end,
            ChangeEnds: self._change_ends,
            AddMark: self._mark,
            CorrectMark: self._correct_mark,
            TakePoint: self._take_point,
            StopPoint: self._stop_point,
            CorrectPoint: self._correct_point,
            Acknowledge: self._acknowledge,
            ZeroChannel: lambda r: Answer(zeroed=self._parts.zeros.press(r.channel, r.undo)),
            ReleasePort: self._release,
            TakeBackPort: self._release,
            LabelPort: self._label,
            SendCommand: self._command,
            GiveCommand: self._give,
            WriteRegister: self._write_register,
            StartProcedure: self._start_procedure,
            GetProcedure: self._get_procedure,
            StopProcedure: self._conduct,
            PauseProcedure: self._conduct,
            AnswerWithPicture: self._answer_with_picture,
            SkipWait: self._conduct,
            AnswerQuestion: self._conduct,
            **dict.fromkeys(REACTION_REQUESTS, self._react),
            GetAct: lambda r: _known(self._parts.acts.look(r.number), "command"),
            GetCommand: lambda r: _known(self._parts.commands.look(r.command), "command"),
            GetCurve: self._get_curve,
            StartCapture: self._start_capture,
            StopCapture: self._stop_capture,
            GetForwarding: lambda _: Answer(forwarding=self._parts.forwarder.text),
            ApplyForwarding: self._apply_forwarding,
            ReadOnce: self._read_once,
            StartSearch: self._start_search,
            GetSearch: lambda r: _known(self._parts.searches.look(r.search), "search"),
            StopSearch: lambda r: _known(self._parts.searches.stop(r.search), "search"),
        }

    # ---- the thread

    def _setups(self) -> Answer:
        now = self._parts.state.now
        return Answer(setups=now.setups, calculations=now.calculations, fresh=not now.numbers)

    def start(self) -> None:
        """Begin; from here on others reach it through its mailbox alone."""
        self.mailbox.begin()
        super().start()

    def run(self) -> None:
        self.mailbox.open()
        while not self._stopping.is_set():
            try:
                self._serve()
            except Exception:  # one request that fails must not leave the recorder mute
                logger.exception("the service failed at a request")
        self.mailbox.carry_out()
        self._send_late()
        self._socket.close()

    def _serve(self) -> None:
        came = self._socket.poll(LOOK_SOON if self._waiting else LOOK_EVERY)
        self.mailbox.carry_out()
        self._send_late()
        if came:
            identity, number, *rest = self._socket.recv_multipart()
            self._receive([identity, number], rest[0] if rest else b"")

    def stop(self) -> None:
        """End. Any thread."""
        self._stopping.set()
        self.join(5)

    def _receive(self, head: list[bytes], data: bytes) -> None:
        answer, frames = self.answer(data)
        if isinstance(answer, Future):
            self._waiting.append(_Waiting(head, answer, time.monotonic() + PATIENCE))
        else:
            self._send(head, answer, frames)

    def _send_late(self) -> None:
        for one in list(self._waiting):
            if one.answer.done():
                self._waiting.remove(one)
                self._send(one.head, _outcome(one.answer.result), [])
            elif time.monotonic() > one.until:
                self._waiting.remove(one)
                late = "The disk has not answered yet. What was asked for goes on; look again in a moment."
                self._send(one.head, Answer(trouble="disk", why=late), [])

    def _send(self, head: list[bytes], answer: Answer, frames: list[bytes]) -> None:
        try:
            self._socket.send_multipart([*head, answer.model_dump_json().encode(), *frames], zmq.NOBLOCK)
        except zmq.ZMQError:
            pass  # whoever asked is gone

    def answer(self, data: bytes) -> tuple[Answered, list[bytes]]:
        """The answer to one request, or where it will come; and frames that follow it."""
        try:
            request: Request = REQUEST.validate_json(data)
        except ValidationError as error:
            return Answer(trouble="invalid", why=f"The recorder does not know this request: {error}"), []
        try:
            if isinstance(request, GetHistory):
                return Answer(), self._parts.writer.samples.since(request.since)
            if isinstance(request, GetTape):
                return Answer(), ["\n".join(self._parts.writer.tape.find(request)).encode()]
            return self._table[type(request)](request), []
        except Exception as error:
            return _refusal(error), []

    # ---- what is done

    def _ask(self, call: Callable[[], T]) -> T:
        return self._parts.writer.mailbox.ask(call)

    def _status(self) -> Status:
        return self._ask(self._parts.writer.status)

    @staticmethod
    def _hello(request: Hello) -> Answer:
        mine = Hello(protocol=PROTOCOL, version=__version__)
        if request.protocol != PROTOCOL:
            why = (
                f"The web server speaks version {request.protocol} of the local protocol, the recorder {PROTOCOL}. "
                "The recorder goes on logging; restart Tidy Bench when the run is over."
            )
            return Answer(trouble="version", why=why, hello=mine)
        return Answer(hello=mine)

    def _get_curve(self, request: GetCurve) -> Answer:
        found = self._ask(lambda: self._parts.writer.curves.look(request.number))
        if found is None:
            raise RequestRefused(
                "not found", "This curve is not remembered any more. If a run was on, it is in the Logbook."
            )
        about, values = found
        rows = [[value if isfinite(value) else None for value in column] for column in values]
        return Answer(curve=CurveRowsAnswer(about=about, values=rows))

    def take_up_forwarding(self) -> None:
        """What was in force before the restart. This thread."""
        text = self._parts.state.now.forwarding
        try:
            self._parts.forwarder.put(text, load_destinations(text or "format = 1\n"))
        except SetupError:
            logger.exception("the destinations cannot be taken up")

    def _apply_forwarding(self, request: ApplyForwarding) -> Answer:
        parts = self._parts
        if request.was is not None and request.was != parts.forwarder.text:
            raise RequestRefused(
                "conflict",
                "Other destinations were kept meanwhile, by somebody else. Discard yours to see them.",
            )
        try:
            found = load_destinations(request.text or "format = 1\n")
        except SetupError as error:
            raise RequestRefused("invalid", str(error)) from error
        try:
            parts.state.remember(forwarding=request.text)
        except OSError as error:
            raise RequestRefused(
                "disk", f"The destinations cannot be kept: {error.strerror}. Nothing was changed."
            ) from error
        parts.forwarder.put(request.text, found)
        return Answer(forwarding=request.text)

    def _start_capture(self, request: StartCapture) -> Answer:
        writer = self._parts.writer
        status, orders = self._ask(lambda: (writer.start_capture(request.order), writer.captures.orders))
        try:
            self._parts.state.remember(captures=orders)  # before it is said to wait: a kill may come at once
        except OSError:
            logger.exception("which captures wait cannot be remembered")
        return Answer(capture=status)

    def _stop_capture(self, request: StopCapture) -> Answer:
        captures = self._parts.writer.captures
        if request.now:
            return Answer(capture=self._ask(lambda: captures.press(request.number)))
        self._ask(lambda: captures.stop(request.number))
        return Answer()

    def _apply(self, request: ApplySetups) -> Answer:
        self._parts.employment.apply(request.setups, request.calculations)
        self._parts.forwarder.fit()
        return Answer(status=self._status())

    def _begin(self, request: BeginRun) -> Answer:
        checked_begin(request)
        writer = self._parts.writer
        run = self._ask(lambda: writer.begin(request))
        self._remember_run(run.folder)
        return Answer(run=run)

    def _arm(self, request: ArmRun) -> Answer:
        checked_begin(request)
        if not request.begins.waits:
            raise RequestRefused("invalid", "Nothing is given that begins the run later. Begin it now.")
        writer = self._parts.writer
        plan = RunPlan.model_validate(request.model_dump(exclude={"kind"}))
        armed = Armed(id=str(uuid.uuid4()), plan=plan, armed_at=self._parts.clock.now())
        status = self._ask(lambda: writer.arm(armed))
        try:
            self._parts.state.remember(armed=armed)
        except OSError as error:
            self._ask(lambda: writer.arm(None))
            raise RequestRefused(
                "disk", f"The run cannot wait: {error.strerror}. Free some space, or begin it now."
            ) from error
        return Answer(armed=status)

    def _glance(self, request: GetGlance) -> Answer:
        writer = self._parts.writer
        return Answer(glance=self._ask(lambda: writer.glance(request)))

    def _call_off(self, request: CallOff) -> Answer:
        writer = self._parts.writer
        self._ask(lambda: writer.call_off(request.armed))
        try:
            self._parts.state.remember(armed=None)
        except OSError as error:
            why = f"It is called off, but a restart would let it wait again: that cannot be kept ({error.strerror}). Free some space."
            raise RequestRefused("disk", why) from error
        return Answer()

    def _begin_armed(self, request: BeginArmed) -> Answer:
        writer = self._parts.writer
        run = self._ask(lambda: writer.begin_armed(request.armed))
        self.remember_begun(run.folder)
        return Answer(run=run)

    def remember_begun(self, folder: str) -> None:
        """The run that waited has begun. This thread."""
        self._remember(run=folder, armed=None)

    def _end(self, request: EndRun) -> "Future[Answer]":
        closed = self.end_run(request.run, request.reason)
        answered: Future[Answer] = Future()

        def after(done: "Future[None]") -> None:
            error = done.exception()
            if error is None:
                answered.set_result(Answer())
                return
            why = error.strerror if isinstance(error, OSError) else repr(error)
            words = f"The run was ended, but that could not be written yet: {why}. It is tried again."
            answered.set_result(Answer(trouble="disk", why=words))

        closed.add_done_callback(after)
        return answered

    def end_run(self, run: str, reason: str, status: RunEnd = "ended") -> "Future[None]":
        """End the run in progress; what is given comes true when it is on the disk. Raises RequestRefused. This thread, or
        any once this one has ended."""
        writer = self._parts.writer
        closed = self._ask(lambda: writer.end(run, reason, status))
        self._remember_run(None)
        return closed

    def _remember_run(self, folder: str | None) -> None:
        self._remember(run=folder)

    def _remember(self, **changes: object) -> None:
        try:
            self._parts.state.remember(**changes)
        except OSError:
            # Its folder knows how it stands; a restart would only take it for interrupted.
            logger.exception("which run is on cannot be remembered")

    def forget_run(self, folder: str) -> None:
        """This run was ended by its plan. This thread."""
        if self._parts.state.now.run == folder:
            self._remember_run(None)

    def _change_ends(self, request: ChangeEnds) -> Answer:
        writer = self._parts.writer
        return Answer(run=self._ask(lambda: writer.change_ends(request.run, request.ends)))

    def _mark(self, request: AddMark) -> Answer:
        text, by = checked_mark(request.text), without_controls(request.by, "The name beside a mark")
        writer = self._parts.writer
        return Answer(run=self._ask(lambda: writer.mark(text, by, request.ago_ms)))

    def _correct_mark(self, request: CorrectMark) -> Answer:
        text, writer = checked_mark(request.text), self._parts.writer
        return Answer(run=self._ask(lambda: writer.correct_mark(request.at, text)))

    def _take_point(self, request: TakePoint) -> Answer:
        writer = self._parts.writer
        return Answer(run=self._ask(lambda: writer.take_point(request.order)))

    def _stop_point(self, request: StopPoint) -> Answer:
        writer = self._parts.writer
        return Answer(run=self._ask(lambda: writer.stop_point(request.number, request.now)))

    def _correct_point(self, request: CorrectPoint) -> Answer:
        for text in (request.name, request.note, request.by):
            without_controls(text, "What is given of a point")
        writer = self._parts.writer
        return Answer(run=self._ask(lambda: writer.correct_point(request)))

    def _acknowledge(self, request: Acknowledge) -> Answer:
        writer = self._parts.writer
        self._ask(lambda: writer.acknowledge(request.crossings, request.by))
        return Answer(status=self._status())

    def _release(self, request: ReleasePort | TakeBackPort) -> Answer:
        self._parts.ports.release(request.link, back=isinstance(request, TakeBackPort))
        return Answer()

    def _label(self, request: LabelPort) -> Answer:
        self._parts.ports.label(request.name, request.label)
        return Answer()

    def _command(self, request: SendCommand) -> Answer:
        try:
            data = request.data.encode("latin-1")
        except UnicodeEncodeError as error:
            char = error.object[error.start]
            raise RequestRefused("invalid", f"“{char}” is not a single byte (00 to FF).") from None
        worker = self._parts.employment.now.workers.get(request.link)
        if worker is None:
            raise RequestRefused("not found", f"No instrument in force uses {request.link}.")
        if not data:
            raise RequestRefused("invalid", "There is nothing to send.")
        if worker.trouble:
            raise RequestRefused("conflict", f"It cannot be sent. {worker.sentence}")
        if worker.plan.link.kind == "file":
            raise RequestRefused("conflict", "A file takes no commands.")
        return Answer(command=self._parts.commands.give(worker, data, request.wait_ms))

    def _give(self, request: GiveCommand) -> Answer:
        parts = self._parts
        return Answer(act=parts.acts.give(request, parts.employment.now, parts.clock.now()))

    def _write_register(self, request: WriteRegister) -> Answer:
        parts = self._parts
        return Answer(act=parts.acts.write_register(request, parts.employment.now, parts.clock.now()))

    def _start_procedure(self, request: StartProcedure) -> Answer:
        self.start_procedure(request)
        return Answer(status=self._status())

    def start_procedure(self, request: StartProcedure) -> None:
        """Start it, and remember it. This thread. Raises RequestRefused."""
        parts = self._parts
        by = without_controls(request.by.strip(), "The name") or NOBODY
        made = parts.conductor.check(request.text, request.plans, request.called)
        parts.conductor.may_begin(made)
        before = parts.state.now.procedures
        kept = KeptProcedure(
            name=made.procedure.name,
            text=request.text,
            by=by,
            begun_at=max([parts.clock.now(), *(one.begun_at + 1 for one in before)]),
            plans=request.plans,
            called=request.called,
        )
        # Known before its first step: a recorder that is killed in it brings the bench to its end.
        parts.state.remember(procedures=[*before, kept])
        try:
            parts.conductor.begin(kept, made)
        except BaseException:
            self._remember(procedures=[one for one in parts.state.now.procedures if one is not kept])
            raise

    def remember_procedure(self, kept: KeptProcedure, on: bool, told: Told | None) -> None:
        """How far it has come, or that it has ended; `told` when that is written. This thread."""
        before = self._parts.state.now.procedures
        after = [kept if one.begun_at == kept.begun_at else one for one in before]
        if not on:
            after = [one for one in before if one.begun_at != kept.begun_at]
        if told is None:
            self._remember(procedures=after)
            return
        try:
            self._parts.state.remember(procedures=after)
        except OSError as error:
            told(False, error.strerror or repr(error))
        else:
            told(True, "")

    def remember_unreached(self, unreached: list[SafeStatus]) -> None:
        """Safe states that were not reached: a person has to know of them over a restart too. This thread."""
        self._remember(unreached=unreached)

    def _get_procedure(self, request: GetProcedure) -> Answer:
        return Answer(procedure=self._parts.conductor.whole(request.id))

    def _conduct(self, request: StopProcedure | PauseProcedure | SkipWait | AnswerQuestion) -> Answer:
        conductor = self._parts.conductor
        by = without_controls(request.by.strip(), "The name")
        if isinstance(request, StopProcedure):
            conductor.stop(request.id, by)
        elif isinstance(request, PauseProcedure):
            conductor.pause(request.id, request.on, by)
        elif isinstance(request, SkipWait):
            conductor.skip(request.id, by)
        else:
            conductor.answer(request.id, request.question, request.value, by)
        return Answer(status=self._status())

    def _answer_with_picture(self, request: AnswerWithPicture) -> Answer:
        parts = self._parts
        upload = parts.uploads / request.upload

        def keep() -> str:
            kept = self._ask(lambda: parts.writer.add_picture(upload))
            try:
                sync_pictures(kept.parents[1])
            except OSError:  # it is there, if not safe against a power cut yet
                logger.exception("a picture cannot be synced")
            return f"{kept.parent.name}/{kept.name}"

        parts.conductor.answer_with_picture(request.id, request.question, keep, request.by)
        return Answer(status=self._status())

    def _react(self, request: ReactionRequest) -> Answer:
        kept = self._parts.reactions.carry_out(request)
        return Answer(status=self._status(), reactions=kept)

    def begin_run(self, request: BeginRun) -> None:
        """Begin a run, and remember it. This thread. Raises RequestRefused."""
        self._begin(request)

    def _read_once(self, request: ReadOnce) -> Answer:
        self.read_once(request.instrument)
        return Answer()

    def read_once(self, instrument: str) -> None:
        """Ask an instrument once, besides its polls. This thread. Raises RequestRefused."""
        setup = self._parts.employment.now.setup_of(instrument)
        if setup is None:
            raise RequestRefused("not found", f"There is no instrument “{instrument}” on the bench.")
        worker = self._parts.employment.worker_of(setup)
        if worker.trouble:
            raise RequestRefused("conflict", f"It cannot be asked. {worker.sentence}")
        if not setup.is_asked:
            raise RequestRefused("conflict", f"{setup.instrument.name} has no query to ask. Add one first.")
        worker.read_once(instrument)

    def _start_search(self, request: StartSearch) -> Answer:
        if request.search == "addresses":
            try:
                query_maker(request.query)
            except AddressError as error:
                raise RequestRefused("invalid", str(error)) from error
            if request.last < request.first:
                raise RequestRefused("invalid", "The first address must not be above the last.")
        if self._parts.searches.busy(request.ports):
            raise RequestRefused("conflict", "Another search has this port just now. Stop it first.")
        return Answer(search=self._parts.searches.start(request))


def _known(found: CommandStatus | ActStatus | SearchStatus | None, what: str) -> Answer:
    if found is None:
        raise RequestRefused("not found", f"This {what} is not known any more.")
    if isinstance(found, ActStatus):
        return Answer(act=found)
    return Answer(command=found) if isinstance(found, CommandStatus) else Answer(search=found)


def _outcome(call: Callable[[], Answer]) -> Answer:
    try:
        return call()
    except Exception as error:
        return _refusal(error)


def _refusal(error: Exception) -> Answer:
    if isinstance(error, RequestRefused):
        return Answer(trouble=error.trouble, why=str(error))
    logger.error("a request failed", exc_info=error)
    return Answer(trouble="failed", why=f"The recorder failed at this: {error!r}. Its log has more.")
