"""Runs the stand-ins of the demo until told to stop.

python -m tidybench.standins FOLDER [CONTROL]: their ports appear in FOLDER. The socket CONTROL takes lines of
JSON and answers each: {"stand-in": name, "fault": name, "on": true}, {"stand-in": name, "key": true},
{"valve": 0.6}, {"empty": true}, or {} to be told how things are.
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
from tidybench.standins.instruments import ALL
from tidybench.standins.loop import Loop


def answer(line: bytes, devices: dict[str, Device], loop: Loop) -> dict[str, object]:
    """Carry out one line of the control socket."""
    try:
        order = json.loads(line)
        if "valve" in order:
            loop.set_valve(order["valve"])
        if "empty" in order:
            loop.pipe_empty = bool(order["empty"])
        if "fault" in order:
            devices[order["stand-in"]].fault(order["fault"], bool(order.get("on", True)))
        if order.get("key"):
            devices[order["stand-in"]].press_key()
    except KeyError as error:
        return {"ok": False, "why": f"there is no stand-in {error}"}
    except (ValueError, TypeError, AttributeError) as error:
        return {"ok": False, "why": str(error)}
    return {
        "ok": True,
        "valve": loop.opening(),
        "empty": loop.pipe_empty,
        "stand-ins": [
            {
                "name": device.name,
                "title": device.title,
                "can": list(device.can_show()),
                "faults": sorted(device.faults),
                "key": device.has_key,
                "overrun": device.overrun,
            }
            for device in devices.values()
        ],
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
            try:
                for line in stream:
                    stream.write(json.dumps(answer(line, devices, loop)).encode() + b"\n")
                    stream.flush()
            except OSError:
                continue  # whoever asked is gone


def main() -> None:
    """Start all stand-ins and wait for the end."""
    folder = Path(sys.argv[1])
    folder.mkdir(parents=True, exist_ok=True)
    loop = Loop()
    devices: dict[str, Device] = {kind.name: kind(folder, loop) for kind in ALL}
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
