"""Text cells of CSV files (RFC 4180), formulas neutralised."""

from collections.abc import Callable, Sequence

from tidybench.core.values.channel import device_time
from tidybench.core.values.figure import figure
from tidybench.core.values.state_name import state_name
from tidybench.runs.run_channel import RunChannel

_FORMULA = ("=", "+", "-", "@", "\t", "\r")


def safe_text(text: str) -> str:
    """A CSV cell's text that no spreadsheet runs as a formula: an apostrophe stands before it. One that looks as if it had
    one gets another, so that taking off one always gives the text."""
    return "'" + text if (rest := text.lstrip("'")) and rest[0] in _FORMULA else text


def csv_cell(text: str) -> str:
    """A text cell as RFC 4180 wants it, formulas neutralised."""
    text = safe_text(text)
    return '"' + text.replace('"', '""') + '"' if any(c in text for c in ',"\r\n') else text


def plain_text(cell: str) -> str:
    """A cell's text without the apostrophe that keeps spreadsheets from running it."""
    rest = cell.lstrip("'")
    return cell[1:] if cell[:1] == "'" and rest and rest[0] in _FORMULA else cell


def cell_of(
    single: bool, clock: bool, states: Sequence[str], stamp: Callable[[int], str]
) -> Callable[[int, float], str]:
    """What makes a channel's cell of a sample's time and value: a figure, a state's word (as it is to stand in the file), or the
    time a device gave. `single`: sent as a 32-bit float."""
    if clock:
        return lambda at, late: stamp(device_time(at, late))
    if states:
        return lambda _, value: state_name(states, value) or figure(value)
    return lambda _, value: "" if value != value else figure(value, single)


def cells_of(
    channels: Sequence[RunChannel], stamp: Callable[[int], str]
) -> list[Callable[[int, float], str]]:
    """What writes each channel's cell: of a sample's time and value."""
    return [
        cell_of(one.single, one.clock, [csv_cell(word) for word in one.states], stamp) for one in channels
    ]
