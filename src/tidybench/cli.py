"""The one command, once what it needs is there (the script `tidy` sees to that)."""

import argparse
import json
import os
import platform
import sys
import time
from pathlib import Path

from tidybench.captures import command
from tidybench.core.compile.load import load
from tidybench.core.setup import SetupError, schema
from tidybench.wire.places import PORT, Places, data_folder

PACKAGE = Path(__file__).resolve().parent
SETUPS, FRONT_END = PACKAGE / "setups", PACKAGE / "front_end"
SOURCE = PACKAGE.parents[1]
"""The checkout, where this is one."""


def main(arguments: list[str] | None = None) -> int:
    """Carry out one command; gives its exit code."""
    parser = _parser()
    options = parser.parse_args(arguments)
    if options.command in ("demo", "up"):
        return _up(options.command == "demo", options.port)
    if options.command == "dev":
        return _dev(options.port)
    if options.command == "check":
        return _check(options.setup)
    if options.command == "read":
        return command.run(options)
    if options.command == "address":
        return _address(options.end_sessions)
    if options.command in ("ports", "release", "take-back"):
        from tidybench import port_orders

        return port_orders.run(options.command, getattr(options, "port", ""))
    if options.command == "verify":
        from tidybench import verify

        return verify.run(options.run)
    if options.command == "report":
        from tidybench import reporting

        return reporting.run(options.run, options.output)
    if options.command == "play":
        from tidybench import playing

        return playing.run(options.tape, Places(data_folder()))
    if options.command == "openapi":
        return _openapi()
    parser.print_help()
    return 0


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="tidy",
        description="Tidy Bench: readings from bench and field instruments.",
        epilog="./tidy test and ./tidy measure set up what they need besides, and run all tests or measurements. "
        "TIDY_DATA names the folder for runs and records; TIDY_DATABASE_URL a PostgreSQL server to share.",
    )
    commands = parser.add_subparsers(dest="command", metavar="COMMAND")
    for name, text in (
        ("demo", "the made-up pump test shop, with simulated instruments and earlier runs"),
        ("up", "your own bench, without simulated instruments"),
    ):
        sub = commands.add_parser(name, help=text, description=text)
        sub.add_argument(
            "--port", type=_port, help=f"TCP port of the pages (else {PORT}, or the next one free)"
        )
    text = "the demo for whoever changes Tidy Bench: pages reloaded, the web server restarted on every change"
    sub = commands.add_parser("dev", help=text, description=text)
    sub.add_argument(
        "--port", type=_port, help=f"TCP port of the web server (else {PORT}, or the next one free)"
    )
    check = commands.add_parser("check", help="say what is wrong with a set-up file")
    check.add_argument("setup", type=Path, metavar="SETUP")
    reading = commands.add_parser(
        "read",
        help="read a saved tape or plain bytes with a set-up, and write CSV",
        description=command.__doc__,
    )
    command.add_arguments(reading)
    commands.add_parser("ports", help="list the serial ports, who uses them and who holds them")
    for name, text in (
        ("release", "give a port up for another program"),
        ("take-back", "return to a released port"),
    ):
        sub = commands.add_parser(name, help=text, description=text)
        sub.add_argument("port", metavar="PORT", help="the port as ./tidy ports calls it, or its label")
    address = commands.add_parser("address", help="print the address of the running Tidy Bench again")
    address.add_argument("--end-sessions", action="store_true", help="every browser must open it again")
    verifying = commands.add_parser(
        "verify", help="compare runs with their seals: has anything changed since they ended?"
    )
    verifying.add_argument(
        "run", nargs="+", metavar="RUN", help="its folder, its id, or a part of its folder's name"
    )
    reporting = commands.add_parser("report", help="write a run as one HTML page that prints")
    reporting.add_argument("run", metavar="RUN", help="its folder, its id, or a part of its folder's name")
    reporting.add_argument(
        "-o",
        "--output",
        type=Path,
        metavar="FILE",
        help="where to; NAME.report.html here where it is not given",
    )
    text = "play the instruments of a tape (a run's folder, or a saved tape) on pseudo-terminals, as they answered then"
    commands.add_parser("play", help=text, description=text).add_argument("tape", type=Path)
    commands.add_parser("openapi", help="print the API's schema, and that of set-up files")
    commands.add_parser("help", help="this text")
    return parser


def _port(text: str) -> int:
    if text.isascii() and text.isdigit() and 1 <= int(text) <= 65535:
        return int(text)
    raise argparse.ArgumentTypeError(
        f"“{text}” is not a port: a whole number from 1 to 65535, for example {PORT}"
    )


def _up(demo: bool, port: int | None, dev: bool = False) -> int:
    data = data_folder()
    setups = []
    if demo:
        if "TIDY_DATA" not in os.environ:
            data = data.with_name(data.name + "-demo")
        setups = [SETUPS / "demo"]
    if not dev and not (FRONT_END / "index.html").is_file():
        print(
            "The pages are not built: ./tidy demo and ./tidy up build them, a wheel has them.",
            file=sys.stderr,
        )
        return 1
    # What starts the bench is not imported for `read` and `check`: it would take longer than they do.
    from tidybench.supervisor import Supervisor

    supervisor = Supervisor(Places(data), demo=demo, port=port, front_end=FRONT_END, setups=setups)
    if dev:
        supervisor.develop(SOURCE)
    if demo:
        supervisor.meanwhile(lambda: _earlier_runs(Places(data), setups[0]))
    return supervisor.run()


def _earlier_runs(places: Places, setups: Path) -> None:
    """The demo's Logbook, where it has none yet: beside the start, which takes no longer for it."""
    from tidybench.demo_runs.logbook import LogbookFolder

    try:
        logbook = LogbookFolder(places.runs, setups, time.time_ns() // 1000, platform.node() or "bench")
        if logbook.missing:
            print("Earlier runs for the Logbook are made meanwhile …", flush=True)
            logbook.make()
    except OSError as error:
        print(f"The earlier runs cannot be made: {error.strerror} ({error.filename}).", file=sys.stderr)


def _dev(port: int | None) -> int:
    if not (SOURCE / "frontend" / "package.json").is_file():
        print("This is no checkout of Tidy Bench: there is nothing to develop here.", file=sys.stderr)
        return 1
    return _up(True, port, dev=True)


def _check(path: Path) -> int:
    try:
        setup = load(path.read_text("utf-8"))
    except OSError as error:
        print(f"{path}: {error.strerror}.", file=sys.stderr)
        return 2
    except UnicodeDecodeError:
        print(f"{path}: this is not a text file in UTF-8.", file=sys.stderr)
        return 1
    except SetupError as error:
        for problem in error.problems:
            print(f"{path}: {problem}", file=sys.stderr)
        return 1
    channels = ", ".join(channel.name for channel in setup.channel) or "no channels yet"
    print(f"{path}: a good set-up of {setup.instrument.name} ({setup.link.short}): {channels}.")
    return 0


def _address(end_sessions: bool) -> int:
    base = data_folder()
    for data in (base, base.with_name(base.name + "-demo")):
        try:
            access = json.loads(Places(data).access.read_text())
        except (OSError, ValueError):
            continue
        if end_sessions:
            Places(data).sessions.unlink(missing_ok=True)
            print("Every browser's session has ended. Open this address again where it is needed:")
        print(f"http://127.0.0.1:{access['port']}/?token={access['token']}")
        return 0
    print("Tidy Bench has not been started yet: ./tidy demo or ./tidy up.", file=sys.stderr)
    return 1


def _openapi() -> int:
    from tidybench.records.database import engine_for
    from tidybench.web.app import make_app

    app = make_app(Places(data_folder()), engine_for("postgresql://nobody@127.0.0.1/none"))
    print(json.dumps({"api": app.openapi(), "set-up": schema()}, indent=1, ensure_ascii=False))
    return 0


if __name__ == "__main__":
    sys.exit(main())
