"""`./tidy ports`, `release`, `take-back`: the recorder is asked, whether or not the web server is there."""

import os
import sys
from pathlib import Path

from tidybench.wire.client import Client, RecorderAway
from tidybench.wire.places import Places, data_folder
from tidybench.wire.ports import GetPorts, ReleasePort, TakeBackPort
from tidybench.wire.status import GetStatus


def run(command: str, port: str) -> int:
    """Carry one of them out on the running bench; gives the exit code."""
    client = _running()
    if client is None:
        print("Tidy Bench does not run: no port is held. ./tidy up starts it.", file=sys.stderr)
        return 1
    try:
        return _asked(client, command, port)
    except RecorderAway as error:
        print(error, file=sys.stderr)
        return 1


def _asked(client: Client, command: str, port: str) -> int:
    found = client.ask(GetPorts())[0].ports
    if command == "ports":
        for one in found:
            who = f"used by {', '.join(one.used_by)}" if one.used_by else ""
            held = f"held by {one.holder}" if one.holder else ""
            what = ", ".join(
                part for part in (one.label and f"“{one.label}”", one.description, who, held) if part
            )
            print(f"{one.name}  {what}")
        if not found:
            print("There is no serial port.")
        return 0
    name = next((one.name for one in found if port in (one.name, one.device, one.label) and port), port)
    order = TakeBackPort(link=name) if command == "take-back" else ReleasePort(link=name)
    answer, _ = client.ask(order)
    if answer.trouble:
        print(answer.why, file=sys.stderr)
        return 1
    print(f"{name} is {'taken back' if command == 'take-back' else 'free for another program'}.")
    return 0


def _running() -> Client | None:
    base = data_folder()
    folders = [base] if "TIDY_DATA" in os.environ else [base, base.with_name(base.name + "-demo")]
    for data in folders:
        places = Places(data)
        if not Path(places.control.removeprefix("ipc://")).exists():
            continue
        client = Client(places.control, patience=2.0)
        try:
            client.ask(GetStatus())
            return client
        except RecorderAway:
            continue
    return None
