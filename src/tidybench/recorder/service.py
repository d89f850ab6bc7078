"""Answers the requests of the web server, one at a time."""

import threading
from collections.abc import Callable

import zmq
from pydantic import ValidationError

from tidybench import __version__
from tidybench.recorder.bench import Bench, Refused
from tidybench.recorder.pump import Pump
from tidybench.wire.messages import (
    PROTOCOL,
    REQUEST,
    Acknowledge,
    AddMark,
    Answer,
    ApplySetups,
    BeginRun,
    CorrectMark,
    EndRun,
    GetHistory,
    GetOrder,
    GetPorts,
    GetSearch,
    GetSetups,
    GetStatus,
    GetTape,
    Hello,
    LabelPort,
    ReadOnce,
    ReleasePort,
    Request,
    SendCommand,
    StartSearch,
    StopSearch,
    TakeBackPort,
    ZeroChannel,
)


class Service(threading.Thread):
    """A thread around the control socket. Frames: identity, request number, JSON."""

    def __init__(self, bench: Bench, pump: Pump, context: "zmq.Context[zmq.Socket[bytes]]") -> None:
        super().__init__(name="service", daemon=True)
        self._bench, self._pump = bench, pump
        self._socket = context.socket(zmq.ROUTER)
        self._socket.setsockopt(zmq.LINGER, 0)
        self._socket.bind(bench.places.control)
        self._stopping = threading.Event()

    def run(self) -> None:
        while not self._stopping.is_set():
            if not self._socket.poll(200):
                continue
            identity, number, *rest = self._socket.recv_multipart()
            answer, extra = self.answer(rest[0] if rest else b"")
            frames = [identity, number, answer.model_dump_json().encode(), *extra]
            try:
                self._socket.send_multipart(frames, zmq.NOBLOCK)
            except zmq.ZMQError:
                pass  # whoever asked is gone
        self._socket.close()

    def stop(self) -> None:
        """End."""
        self._stopping.set()
        self.join(5)

    def answer(self, data: bytes) -> tuple[Answer, list[bytes]]:
        """The answer to one request, and frames that follow it."""
        try:
            request = REQUEST.validate_json(data)
        except ValidationError as error:
            return Answer(trouble="invalid", why=f"The recorder does not know this request: {error}"), []
        try:
            return self._carry_out(request)
        except Refused as error:
            return Answer(trouble=error.trouble, why=str(error)), []  # type: ignore[arg-type]
        except Exception as error:
            return Answer(trouble="failed", why=f"The recorder failed at this: {error!r}"), []

    def _carry_out(self, request: Request) -> tuple[Answer, list[bytes]]:
        bench = self._bench
        if isinstance(request, GetHistory):
            return Answer(), [bench.samples.since(request.since)]
        return self._answers()[type(request)](request), []

    def _answers(self) -> dict[type, Callable[[Request], Answer]]:
        return {
            Hello: self._hello,
            GetStatus: lambda _: Answer(status=self._bench.status()),
            GetTape: self._tape,
            GetPorts: lambda _: Answer(ports=self._bench.status().ports),
            GetSetups: lambda _: Answer(setups=self._bench.state.setups),
            ApplySetups: self._apply,
            BeginRun: self._begin,
            EndRun: self._end,
            AddMark: self._mark,
            CorrectMark: self._correct_mark,
            ReleasePort: self._release,
            TakeBackPort: self._release,
            LabelPort: self._label,
            SendCommand: self._command,
            GetOrder: self._order,
            ReadOnce: self._read_once,
            StartSearch: self._start_search,
            GetSearch: self._search,
            StopSearch: self._search,
            ZeroChannel: self._zero,
            Acknowledge: self._acknowledge,
        }

    def _hello(self, request: Request) -> Answer:
        assert isinstance(request, Hello)
        mine = Hello(protocol=PROTOCOL, version=__version__)
        if request.protocol != PROTOCOL:
            why = (
                f"The web server speaks version {request.protocol} of the local protocol, the recorder {PROTOCOL}. "
                "The recorder goes on logging; restart Tidy Bench when the run is over."
            )
            return Answer(trouble="version", why=why, hello=mine)
        return Answer(hello=mine)

    def _tape(self, request: Request) -> Answer:
        assert isinstance(request, GetTape)
        return Answer(tape=self._bench.tape.find(request))

    def _apply(self, request: Request) -> Answer:
        assert isinstance(request, ApplySetups)
        self._bench.apply(request.setups, request.calculations)
        return Answer(status=self._bench.status())

    def _zero(self, request: Request) -> Answer:
        assert isinstance(request, ZeroChannel)
        return Answer(zeroed=self._bench.zero(request.channel, request.undo))

    def _acknowledge(self, request: Request) -> Answer:
        assert isinstance(request, Acknowledge)
        self._bench.acknowledge(request.crossings, request.by)
        return Answer(status=self._bench.status())

    def _begin(self, request: Request) -> Answer:
        assert isinstance(request, BeginRun)
        self._bench.begin(request)
        return Answer(run=self._bench.run_status())

    def _end(self, request: Request) -> Answer:
        assert isinstance(request, EndRun)
        self._pump.end_run(request.run, request.reason)
        return Answer()

    def _mark(self, request: Request) -> Answer:
        assert isinstance(request, AddMark)
        self._bench.mark(request.text, request.by)
        return Answer(run=self._bench.run_status())

    def _correct_mark(self, request: Request) -> Answer:
        assert isinstance(request, CorrectMark)
        self._bench.correct_mark(request.at, request.text)
        return Answer(run=self._bench.run_status())

    def _release(self, request: Request) -> Answer:
        assert isinstance(request, ReleasePort | TakeBackPort)
        self._bench.release(request.link, back=isinstance(request, TakeBackPort))
        return Answer()

    def _label(self, request: Request) -> Answer:
        assert isinstance(request, LabelPort)
        self._bench.label(request.name, request.label)
        return Answer()

    def _command(self, request: Request) -> Answer:
        assert isinstance(request, SendCommand)
        try:
            data = request.data.encode("latin-1")
        except UnicodeEncodeError as error:
            why = f"“{error.object[error.start]}” is no byte: a command is made of bytes from 00 to FF."
            return Answer(trouble="invalid", why=why)
        return Answer(order=self._bench.command(request.link, data, request.wait_ms))

    def _order(self, request: Request) -> Answer:
        assert isinstance(request, GetOrder)
        found = self._bench.orders.look(request.order)
        return (
            Answer(order=found)
            if found
            else Answer(trouble="not found", why="This command is not known any more.")
        )

    def _read_once(self, request: Request) -> Answer:
        assert isinstance(request, ReadOnce)
        self._bench.read_once(request.instrument)
        return Answer()

    def _start_search(self, request: Request) -> Answer:
        assert isinstance(request, StartSearch)
        return Answer(search=self._bench.search(request))

    def _search(self, request: Request) -> Answer:
        assert isinstance(request, GetSearch | StopSearch)
        desk = self._bench.searches
        found = desk.stop(request.search) if isinstance(request, StopSearch) else desk.look(request.search)
        return (
            Answer(search=found)
            if found
            else Answer(trouble="not found", why="This search is not known any more.")
        )
