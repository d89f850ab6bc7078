"""`./tidy read`: a capture in, CSV out.

Exit codes: 0 every message was understood; 1 some were not; 2 the set-up or the capture cannot be
read; 3 there was no message at all.
"""

import argparse
import sys
from pathlib import Path
from typing import TextIO

from tidybench.captures.capture import Capture, CaptureError, open_capture
from tidybench.captures.readout import Readout, Table, Trouble
from tidybench.core.compile.load import load
from tidybench.core.reading.element import shown_byte
from tidybench.core.setup import Setup, SetupError
from tidybench.runs.stamps import Stamps

MAX_SAID = 50
"""Messages that were not understood, said one by one; the rest is counted."""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The command's own words."""
    parser.add_argument(
        "paths", nargs="+", metavar="SETUP CAPTURE", help="a set-up and a capture; - reads standard input"
    )
    parser.add_argument("--json", action="store_true", help="JSON lines instead of CSV")
    parser.add_argument(
        "--explain", action="store_true", help="show, message by message, how it was cut and read"
    )
    parser.add_argument(
        "--propose", action="store_true", help="print a proposed set-up; takes the capture alone"
    )
    parser.add_argument("--link", default="", help="which link of a tape, where it has several")


def run(options: argparse.Namespace) -> int:
    """Carry it out; gives the exit code."""
    wanted = 1 if options.propose else 2
    if len(options.paths) != wanted:
        what = "--propose takes one CAPTURE" if options.propose else "read takes a SETUP and a CAPTURE"
        print(f"{what}: ./tidy read --help says more.", file=sys.stderr)
        return 2
    try:
        capture = _capture(options.paths[-1])
        if options.propose:
            return _propose(capture, options.link)
        setup = _setup(Path(options.paths[0]))
        return _read(setup, capture, options)
    except OSError as error:
        print(f"{error.filename}: {error.strerror}.", file=sys.stderr)
    except (CaptureError, SetupError) as error:
        print(
            f"{options.paths[0]}: {error}" if isinstance(error, SetupError) else str(error), file=sys.stderr
        )
    except UnicodeDecodeError:
        print(f"{options.paths[0]}: this is not a text file in UTF-8.", file=sys.stderr)
    return 2


def _capture(path: str) -> Capture:
    return open_capture(None, sys.stdin.buffer.read()) if path == "-" else open_capture(Path(path))


def _setup(path: Path) -> Setup:
    return load(path.read_text("utf-8"))


def _read(setup: Setup, capture: Capture, options: argparse.Namespace) -> int:
    said = 0

    def say(trouble: Trouble) -> None:
        nonlocal said
        said += 1
        if said <= MAX_SAID:
            when = f"message {trouble.number}" if trouble.at is None else Stamps().micro(trouble.at)
            print(f"{when}: {boxed(trouble.message)} {trouble.why}", file=sys.stderr)

    readout = Readout(setup, capture, options.link, say)
    if options.explain:
        return _explain(readout, sys.stdout)
    table = Table(setup, capture.has_times, options.json)
    # Spreadsheets want CR LF (RFC 4180, 2.1), whatever this system's own line end is.
    out = open(sys.stdout.fileno(), "w", encoding="utf-8", newline="", closefd=False)  # noqa: SIM115
    try:
        out.write(table.header())
        for row in readout.rows():
            out.write(table.line(row))
        out.flush()
    except BrokenPipeError:
        sys.stderr.close()  # whoever read has enough; nothing is wrong
        return 0
    if said > MAX_SAID:
        print(f"… and {said - MAX_SAID} more.", file=sys.stderr)
    if not readout.messages:
        print(f"There is no message in it: messages {setup.framing.described}.", file=sys.stderr)
        return 3
    print(f"{readout.messages - said} of {readout.messages} messages understood.", file=sys.stderr)
    return 1 if said else 0


def _explain(readout: Readout, out: TextIO) -> int:
    described = readout.setup.framing.described
    print(f"Messages {described}.", file=out)
    wrong = number = 0
    stamp = Stamps().micro
    for number, message in enumerate(readout.explained(), 1):
        when = stamp(message.at) if readout.capture.has_times else str(number)
        print(f"{when}  {boxed(message.message.encode('latin-1'))}", file=out)
        if message.understood:
            fields = "  ".join(f"{name} = {value}" for name, value in message.fields.items())
            print(f"    {fields or 'understood; no field in it'}", file=out)
            continue
        wrong += 1
        if message.column:
            print(f"    {' ' * (len(when) - 2 + _shown_column(message.message, message.column))}^", file=out)
        print(f"    {message.why}", file=out)
    print(f"{number - wrong} of {number} messages understood.", file=out)
    return 3 if not number else 1 if wrong else 0


def _shown_column(message: str, column: int) -> int:
    """Where a character stands when those before it are shown boxed."""
    return len(boxed(message[: column - 1].encode("latin-1")))


def boxed(message: bytes) -> str:
    """Bytes as text, what cannot be printed in boxes."""
    return "".join(
        chr(b) if 0x20 <= b < 0x7F else f"[{shown_byte(bytes([b])).removeprefix('the byte ')}]"
        for b in message[:500]
    )


def _propose(capture: Capture, link: str) -> int:
    from tidybench.captures.proposing import proposed_setup

    text, reasons = proposed_setup(capture, link)
    for reason in reasons:
        print(reason, file=sys.stderr)
    if not text:
        return 3
    print(text, end="")
    return 0
