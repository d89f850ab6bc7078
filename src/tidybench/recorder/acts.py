"""The commands of set-ups that were given, and what came of them, for as long as someone may ask."""

import threading
from collections import OrderedDict
from collections.abc import Callable

from tidybench.core.acting.act import InstrumentAct
from tidybench.core.compile.command import REGISTER, CompiledCommand, compile_command
from tidybench.core.setup import Setup
from tidybench.core.setup.commands import InstrumentCommandPart
from tidybench.recorder.employed import Employed
from tidybench.recorder.refused import RequestRefused, without_controls
from tidybench.recorder.worker import Worker
from tidybench.wire.commands import ActStatus, GiveCommand, WriteRegister

KEPT = 500


class Acts:
    """Numbers commands. Any thread may use it."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._given: OrderedDict[int, InstrumentAct] = OrderedDict()
        self._newest: dict[tuple[str, str], InstrumentAct] = {}
        self._last = 0
        self._of: Employed | None = None
        self._made: dict[tuple[str, str], CompiledCommand] = {}

    def give(
        self,
        request: GiveCommand,
        employed: Employed,
        at: int,
        when_ended: Callable[[InstrumentAct], None] | None = None,
    ) -> ActStatus:
        """Have a command carried out between two polls; it was asked for at `at`. `when_ended` is called in the link's thread. Raises
        RequestRefused."""
        setup = _on_the_bench(request.instrument, employed)
        part = next((one for one in setup.command if one.id == request.command), None)
        if part is None:
            raise RequestRefused("not found", f"{setup.instrument.name} has no command “{request.command}”.")
        if part.does == "cannot be undone" and not request.sure:
            raise RequestRefused("conflict", f"“{part.name}” cannot be undone. Send it with sure = true.")
        worker = _ready_worker(setup, part, employed)
        with self._lock:
            compiled = self._compiled(employed, setup, part)
        return self._put(worker, compiled, dict(request.values), request.by, at, when_ended)

    def write_register(self, request: WriteRegister, employed: Employed, at: int) -> ActStatus:
        """Have a register written between two polls, and read back. Raises RequestRefused."""
        setup = _on_the_bench(request.instrument, employed)
        modbus = setup.modbus
        one = next((r for r in modbus.registers if r.name == request.name), None) if modbus else None
        if modbus is None or one is None:
            raise RequestRefused("not found", f"There is no register “{request.name}” in the register map in force.")  # fmt: skip
        part = InstrumentCommandPart(
            id=f"{one.table}-{one.at}",
            name=f"Write {one.name}"[:80],
            writes=one.name,
            give_up_after_s=modbus.give_up_after_s,
        )
        worker = _ready_worker(setup, part, employed)
        try:
            compiled = compile_command(setup, part)
        except ValueError as error:
            raise RequestRefused("invalid", f"{error}.") from error
        return self._put(worker, compiled, {REGISTER: request.value}, request.by, at, None)

    def _put(
        self,
        worker: Worker,
        compiled: CompiledCommand,
        values: dict[str, float | str],
        by: str,
        at: int,
        when_ended: Callable[[InstrumentAct], None] | None,
    ) -> ActStatus:
        by = without_controls(by.strip(), "The name") or "a person"
        with self._lock:
            try:
                act = InstrumentAct(compiled, self._last + 1, values, by, at, when_ended)
            except ValueError as error:
                raise RequestRefused("invalid", str(error)) from error
            self._last += 1
            self._given[act.number] = act
            while len(self._given) > KEPT:
                self._given.popitem(last=False)
            self._newest[act.origin.instrument, act.origin.command] = act
        worker.act(act)
        return act_status(act)

    def _compiled(self, employed: Employed, setup: Setup, part: InstrumentCommandPart) -> CompiledCommand:
        """Made once for as long as these set-ups are in force. They were tried when they were taken up."""
        if self._of is not employed:
            self._of, self._made = employed, {}
        key = setup.instrument.id, part.id
        if key not in self._made:
            self._made[key] = compile_command(setup, part)
        return self._made[key]

    @staticmethod
    def ready(instrument: str, employed: Employed) -> bool:
        """Whether a command could go to this instrument now."""
        setup = employed.setup_of(instrument)
        if setup is None:
            return True  # it never will be there
        worker = employed.workers[setup.link.address]
        who = worker.session.identities.get(instrument)
        return not worker.trouble and not (who is not None and who.expected and not who.matches)

    def look(self, number: int) -> ActStatus | None:
        """How a command goes; None for one that is not known (any more)."""
        act = self._given.get(number)
        return None if act is None else act_status(act)

    def newest_of(self, instrument: str) -> list[ActStatus]:
        """The newest of each command of an instrument."""
        return [act_status(act) for (who, _), act in list(self._newest.items()) if who == instrument]


def _on_the_bench(instrument: str, employed: Employed) -> Setup:
    setup = employed.setup_of(instrument)
    if setup is None:
        raise RequestRefused("not found", f"There is no instrument “{instrument}” on the bench.")
    return setup


def _ready_worker(setup: Setup, part: InstrumentCommandPart, employed: Employed) -> Worker:
    """The worker of an instrument that may be given commands as it is now. Raises RequestRefused."""
    worker = employed.workers[setup.link.address]
    if worker.trouble:
        raise RequestRefused("conflict", f"“{part.name}” cannot be sent. {worker.sentence}")
    who = worker.session.identities.get(setup.instrument.id)
    if who is not None and who.expected and not (who.heard and who.matches):
        said = f"says it is “{' / '.join(who.lines)}”" if who.lines else "has not said who it is"
        raise RequestRefused(
            "conflict",
            f"“{part.name}” was not sent: what is on this port {said}, so it may not be {setup.instrument.name}.",
        )
    return worker


def act_status(act: InstrumentAct) -> ActStatus:
    """As it is told."""
    ended = act.ended  # read first: it is written last
    return ActStatus(
        number=act.number,
        instrument=act.origin.instrument,
        command=act.origin.command,
        values=act.values,
        by=act.by,
        asked_at=act.asked_at,
        sent=act.sent.decode("latin-1"),
        outcome=ended.outcome if ended is not None else "waiting",
        words=ended.words if ended is not None else "",
        lines=[line.decode("latin-1") for line in act.lines],
        fields=ended.fields if ended is not None else {},
        ended_at=ended.at if ended is not None else None,
    )
