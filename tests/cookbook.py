"""The cookbook of message habits, made from the tests: python -m tests.cookbook writes it."""

from pathlib import Path

from tests.core.habits import HABITS, Habit
from tests.core.test_habits import all_rows_of, taught
from tidybench.captures.command import boxed
from tidybench.core.compile.load import load
from tidybench.runs.cells import cell_of

PLACE = Path(__file__).resolve().parents[1] / "docs/formats/cookbook.md"
SHOWN = 3
HEAD = """# Cookbook: how forty kinds of instruments talk, and how they are read

Each entry: what came (control characters in boxes), what was asked first where two readings remained, the sheet that was proposed, and the numbers of the first messages.
`./tidy read --propose FILE` gives these sheets; `./tidy read SHEET FILE` gives the numbers. This page is made from the tests (`python -m tests.cookbook`).
"""


def cookbook() -> str:
    """The whole page."""
    return HEAD + "".join(_entry(habit) for habit in HABITS)


def _entry(habit: Habit) -> str:
    data = habit.data if isinstance(habit.data, bytes) else b"".join(habit.data)
    trade, _, what = habit.trade.partition(": ")
    title = f"{trade}: {what}" if what else trade
    lines = [f"\n## {title[0].upper()}{title[1:]}\n", f"    {_start(data)}\n"]
    got = taught(habit)
    for question, answer in habit.asks:
        lines.append(f"Asked: “{question} …”, answered “{answer} …”.\n")
    if habit.needs:
        lines.append(f"Nothing is proposed: {got.needs}.\n")
        return "\n".join(lines)
    sheet = got.text.split("[link]")[0].split("[instrument]")[1]
    talks = next(line for line in sheet.splitlines() if line.startswith("talks"))
    rest = got.text.partition("[framing]")[2].strip()
    lines.append("```toml\n" + f"[instrument]\n{talks}\n\n[framing]\n{rest}\n```\n")
    setup = load(got.text)
    rows = [row for row in all_rows_of(setup, habit) if any(cell is not None for cell in row)][:SHOWN]
    names = [f"{c.name} [{c.unit}]" if c.unit else c.name for c in setup.channel]
    cells = [cell_of(False, False, c.states, str) for c in setup.channel]
    lines.append("| " + " | ".join(names) + " |")
    lines.append("|" + "---|" * len(names))
    lines += [
        "| " + " | ".join("" if v is None else cell(0, v) for cell, v in zip(cells, row, strict=True)) + " |"
        for row in rows
    ]
    return "\n".join(lines) + "\n"


def _start(data: bytes) -> str:
    """The first messages, cut at a line's end."""
    piece = data[:90]
    for end in (b"\r\n", b"\n", b"\r", b"\x03"):
        if piece.count(end) >= 2:
            return boxed(piece[: piece.rfind(end) + len(end)])
    return boxed(piece[:48]) + " …"


if __name__ == "__main__":
    PLACE.write_text(cookbook(), "utf-8")
