"""Runs the stand-ins of the demo until told to stop.

python -m tidybench.standins FOLDER: their ports appear as links in FOLDER. The socket
FOLDER/../control takes a line of JSON, {"stand-in": name, "fault": name, "on": true}, and answers one.
Ends when its parent does (end of file on the pipe named by TIDY_PARENT_PIPE).
"""

import json
import os
import signal
import socket
import sys
import threading
from pathlib import Path

from tidybench.standins.device import Device
from tidybench.standins.instruments import LoopFlowMeter, PowerAnalyser
from tidybench.standins.loop import Loop


def answer(line: bytes, devices: dict[str, Device], loop: Loop) -> dict[str, object]:
    """Carry out one line of the control socket."""
    try:
        order = json.loads(line)
        if "valve" in order:
            loop.set_valve(order["valve"])
        if "empty" in order:
            loop.pipe_empty = bool(order["empty"])
        if "stand-in" in order:
            devices[order["stand-in"]].fault(order["fault"], bool(order.get("on", True)))
    except (ValueError, KeyError, TypeError) as error:
        return {"ok": False, "why": str(error)}
    return {
        "ok": True,
        "faults": {name: sorted(device.faults) for name, device in devices.items()},
        "overrun": {name: device.overrun for name, device in devices.items()},
    }


def serve(path: Path, devices: dict[str, Device], loop: Loop) -> None:
    """Answer the control socket for ever."""
    path.unlink(missing_ok=True)
    server = socket.socket(socket.AF_UNIX)
    server.bind(str(path))
    path.chmod(0o600)
    server.listen()
    while True:
        connection, _ = server.accept()
        with connection, connection.makefile("rwb") as stream:
            for line in stream:
                stream.write(json.dumps(answer(line, devices, loop)).encode() + b"\n")
                stream.flush()


def main() -> None:
    """Start all stand-ins and wait for the end."""
    folder = Path(sys.argv[1])
    folder.mkdir(parents=True, exist_ok=True)
    loop = Loop()
    devices: dict[str, Device] = {
        d.name: d for d in (LoopFlowMeter(folder, loop), PowerAnalyser(folder, loop))
    }
    for device in devices.values():
        device.start()
    done = threading.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: done.set())
    pipe = os.environ.get("TIDY_PARENT_PIPE")
    if pipe:

        def watch() -> None:
            os.read(int(pipe), 1)
            done.set()

        threading.Thread(target=watch, daemon=True).start()
    if len(sys.argv) > 2:
        threading.Thread(target=serve, args=(Path(sys.argv[2]), devices, loop), daemon=True).start()
    done.wait()
    for device in devices.values():
        device.stop()


if __name__ == "__main__":
    main()
