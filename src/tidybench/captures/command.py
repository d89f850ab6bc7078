"""`./tidy read`: a capture in, CSV out.

Exit codes: 0 every message was understood; 1 some were not; 2 the set-up or the capture cannot be
read; 3 there was no message at all, or nothing can be proposed; 4 `--propose` has a question first.
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
    parser.add_argument(
        "--answer",
        action="append",
        default=[],
        metavar="QUESTION=CHOICE",
        help="answers a question of --propose",
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
            return _propose(capture, options.link, options.answer)
        setup = _setup(Path(options.paths[0]))
        return _read(setup, capture, options)
    except BrokenPipeError:
        sys.stderr.close()  # whoever read has enough; nothing is wrong
        return 0
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
    if readout.without_time:
        print(
            f"Plain bytes have no times: {', '.join(readout.without_time)} stand without the filters and the thinning "
            "that go by the time.",
            file=sys.stderr,
        )
    if options.explain:
        return _explain(readout, sys.stdout)
    table = Table(setup, capture.has_times, options.json)
    # Spreadsheets want CR LF (RFC 4180, 2.1), whatever this system's own line end is.
    out = open(sys.stdout.fileno(), "w", encoding="utf-8", newline="", closefd=False)  # noqa: SIM115
    out.write(table.header())
    for row in readout.rows():
        out.write(table.line(row))
    out.flush()
    if said > MAX_SAID:
        print(f"… and {said - MAX_SAID} more.", file=sys.stderr)
    if not readout.messages:
        print(f"There is no message in it: messages {setup.framing.described}.", file=sys.stderr)
        return 3
    print(_counted(readout.messages, said, readout.passed_over), file=sys.stderr)
    return 1 if said else 0


def _counted(messages: int, wrong: int, empty: int) -> str:
    """How the messages went: those that gave a field are understood."""
    said = f"{messages - wrong - empty} of {messages} messages understood"
    return f"{said}, {empty} passed over." if empty else f"{said}."


def _explain(readout: Readout, out: TextIO) -> int:
    described = readout.setup.framing.described
    print(f"Messages {described}.", file=out)
    wrong = empty = number = 0
    stamp = Stamps().micro
    for number, message in enumerate(readout.explained(), 1):
        when = stamp(message.at) if readout.capture.has_times else str(number)
        print(f"{when}  {boxed(message.message.encode('latin-1'))}", file=out)
        if message.understood:
            fields = "  ".join(f"{name} = {value}" for name, value in message.fields.items())
            empty += not fields
            print(f"    {fields or 'passed over: it has no field'}", file=out)
            continue
        wrong += 1
        if message.column:
            print(f"    {' ' * (len(when) - 2 + _shown_column(message.message, message.column))}^", file=out)
        print(f"    {message.why}", file=out)
    print(_counted(number, wrong, empty), file=out)
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


def _propose(capture: Capture, link: str, given: list[str]) -> int:
    from tidybench.captures.proposing import as_comments, parsed_answers, proposed_setup

    found = proposed_setup(capture, link, parsed_answers(given))
    for reason in found.reasons:
        print(reason, file=sys.stderr)
    if found.questions:
        print(as_comments(found.questions), end="")
        return 4
    if not found.text:
        print(f"{found.needs}.", file=sys.stderr)
        return 3
    print(found.text, end="")
    return 0
