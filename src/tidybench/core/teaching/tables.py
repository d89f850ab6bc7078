"""Tables among messages: many rows of figures, one after the other, whose first column only rises or only falls.

What the messages show decides: a line of words with as many cells as a row names the columns, messages before it that differ in one figure
alone say how far it is, the message before the first row begins the table and the one behind its last ends it. What they do not show is
left out.
"""

import itertools
import math
import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from tidybench.core.compile.edit import free_id
from tidybench.core.curves.gatherer import CurveGatherer
from tidybench.core.curves.piece import CurveRows
from tidybench.core.exchange.link_reader import open_framer
from tidybench.core.framing import make_check, make_framer
from tidybench.core.setup import Setup
from tidybench.core.setup.curves import AxisPart, CurvePart, QuantityPart
from tidybench.core.setup.framing import ENCODINGS
from tidybench.core.tape.events import Event, Opened, Received, Sent, Tick
from tidybench.core.teaching.source import literal_source

LEAST_ROWS, MOST_COLUMNS = 5, 20
"""Rows from which on it is called a table; columns that it can have."""

WITHIN = 30_000_000
"""Microseconds within which a message before the rows, or behind them, belongs to them."""

_POINT = re.compile(rb" *[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)? *")
_COMMA = re.compile(rb" *[+-]?\d+(?:,\d+)?(?:[eE][+-]?\d+)? *")
_DASHES = re.compile(rb" *(-{2,}|\*{2,}|n/?a|nan|inf|9\.9[0-9]*[eE]\+?37) *", re.IGNORECASE)
_FIGURE = re.compile(rb"[+-]?\d+(?:\.\d+)?")
_HEADED = re.compile(r"^(.*?)\s*[\[(/]\s*([^\])]{1,12})[\])]?\s*$")


@dataclass(slots=True, frozen=True)
class FoundTable:
    """A table that came at `at`: the curve it would be, so many `rows`, the first of them as they came, and what speaks for each part, in
    sentences."""

    at: int
    part: CurvePart
    rows: int
    first: tuple[str, ...]
    evidence: tuple[str, ...]


@dataclass(slots=True, frozen=True)
class _Line:
    at: int
    body: bytes
    asked: int  # how many times something had been sent before


def messages_of(setup: Setup, events: Iterable[Event]) -> list[_Line]:
    """All that the framing of a set-up cuts from a link's events, whoever asked for it."""
    framer, check = make_framer(setup.framing, setup.link.byte_time), make_check(setup.framing)
    found: list[_Line] = []
    asked = 0
    for event in events:
        if isinstance(event, Opened):
            open_framer(framer, event, talks_alone=setup.instrument.talks != "when asked")
        elif isinstance(event, Sent):
            asked += 1
            framer.asked(event.data, event.at)
        elif isinstance(event, Received | Tick):
            cut = (
                framer.feed(event.data, event.at) if isinstance(event, Received) else framer.passed(event.at)
            )
            for body, at in zip(cut.bodies, cut.times, strict=True):
                whole = check(body) if check is not None else body
                if whole is not None:
                    found.append(_Line(at, whole, asked))
    return found


def tables_in(setup: Setup, events: Iterable[Event], most: int = 3) -> list[FoundTable]:
    """The newest tables among a link's messages, the newest first; of those that would be read alike only one."""
    lines = messages_of(setup, events)
    found: list[FoundTable] = []
    for first, last, cells in _stretches(lines):
        table = _table(setup, lines, first, last, cells)
        if not _proved(setup, table, lines[max(0, first - 1) : last]):
            continue
        found = [one for one in found if one.part.row != table.part.row or one.part.x != table.part.x] + [
            table
        ]
    return found[::-1][:most]


def _proved(setup: Setup, table: FoundTable, lines: Sequence[_Line]) -> bool:
    """Whether all its rows are read as such by what is proposed."""
    try:
        gatherer = CurveGatherer(setup.instrument.id, table.part, ENCODINGS[setup.framing.encoding])
    except ValueError:
        return False
    for one in lines:
        gatherer.take(one.body, one.at)
    rows = sum(len(piece.values[0]) for piece in gatherer.pieces if isinstance(piece, CurveRows))
    return rows == table.rows


def _stretches(lines: Sequence[_Line]) -> Iterable[tuple[int, int, "_Cells"]]:
    """Where rows stand one after the other: the first, the one behind the last, how they are parted."""
    begin = 0
    while begin < len(lines):
        best: tuple[int, _Cells] | None = None
        for way in _WAYS:
            end = _reach(lines, begin, way)
            if end - begin >= LEAST_ROWS and (best is None or end > best[0]):
                best = end, way
        if best is None:
            begin += 1
            continue
        yield begin, best[0], best[1]
        begin = best[0]


@dataclass(slots=True, frozen=True)
class _Cells:
    """How the cells of a row are parted, and whether a comma stands before the decimals."""

    between: bytes  # b" " for any blanks
    comma: bool = False

    def of(self, body: bytes) -> list[bytes]:
        return body.split() if self.between == b" " else body.split(self.between)

    def number(self, cell: bytes) -> float | None:
        """A cell's number; NaN where dashes stand in its place, None where it is neither."""
        if (_COMMA if self.comma else _POINT).fullmatch(cell):
            return float(cell.replace(b",", b".")) if self.comma else float(cell)
        return math.nan if _DASHES.fullmatch(cell) else None


_WAYS = (
    _Cells(b";"),
    _Cells(b";", True),
    _Cells(b"\t"),
    _Cells(b"\t", True),
    _Cells(b","),
    _Cells(b" "),
    _Cells(b" ", True),
)


def _reach(lines: Sequence[_Line], begin: int, way: _Cells) -> int:
    """How far rows go on from here that are parted so: as many cells, the same words, a first number that keeps its direction."""
    head = way.of(lines[begin].body)
    if not 2 <= len(head) <= MOST_COLUMNS:
        return begin
    words = [cell if way.number(cell) is None else None for cell in head]
    numbers = [n for n, word in enumerate(words) if word is None]
    if len(numbers) < 2:
        return begin
    before, direction = math.nan, 0.0
    for n in range(begin, len(lines)):
        cells = way.of(lines[n].body)
        if len(cells) != len(head) or any(
            w is not None and w != c for w, c in zip(words, cells, strict=True)
        ):
            return n
        values = [way.number(cells[place]) for place in numbers]
        x = values[0]
        if any(value is None for value in values) or x is None or math.isnan(x):
            return n
        step = x - before
        if n > begin and (step == 0 or (direction and (step > 0) != (direction > 0))):
            return n
        before, direction = x, step if n > begin else 0.0
    return len(lines)


def _table(setup: Setup, lines: Sequence[_Line], first: int, last: int, way: _Cells) -> FoundTable:
    rows = [way.of(one.body) for one in lines[first:last]]
    head = rows[0]
    places = [n for n, cell in enumerate(head) if way.number(cell) is not None]
    evidence = [f"{len(rows)} messages in a row have {len(places)} figures each; the first of them only {'rises' if _value(way, rows[1], places[0]) > _value(way, rows[0], places[0]) else 'falls'}."]  # fmt: skip
    around = _around(lines, first, last)
    names = _header(around.before, head, way)
    titles = [names[n] if names else ("", "") for n in places]
    if names:
        evidence.append(f"The message before them names the columns: “{_shown(around.before)}”.")
    fields = _fields([title for title, _ in titles])
    codec = setup.framing.encoding
    cells = []
    for n, cell in enumerate(head):
        if n not in places:
            cells.append(literal_source(cell, codec))
            continue
        tokens = list(dict.fromkeys(
            row[n].strip() for row in rows if math.isnan(_value(way, row, n))
        ))  # fmt: skip
        more = "".join(f" none({literal_source(token, codec)})" for token in tokens)
        more += " decimal(,)" if way.comma else ""
        cells.append(f"<{fields[places.index(n)]}{more}>")
    between = " " if way.between == b" " else literal_source(way.between, codec)
    lead = " " if lines[first].body[:1] == b" " and way.between == b" " else ""
    keys: dict[str, object] = {"row": lead + between.join(cells)}
    if around.before is not None:
        keys["begins"] = literal_source(around.before, codec)
        if not names:
            evidence.append(f"“{_shown(around.before)}” stands before the first row.")
    if around.progress is not None:
        keys["progress"] = _with_field(around.progress, codec, "progress")
        evidence.append(f"Messages like “{_shown(around.progress)}” say how far it is.")
    if around.after is not None:
        keys["ends"] = _with_field(around.after, codec, "last")
        evidence.append(f"“{_shown(around.after)}” stands behind the last row.")
    else:
        evidence.append("Nothing is known to stand behind the last row: silence ends it.")
    xs = [_value(way, row, places[0]) for row in rows]
    logarithmic = _grows_by_factors(xs)
    if logarithmic:
        evidence.append("The first figure grows by factors: it is drawn over a logarithmic axis.")
    axes = [
        {"field": field, "name": title or ("" if n else "x"), "unit": unit}
        for n, (field, (title, unit)) in enumerate(zip(fields, titles, strict=True))
    ]
    taken = {one.id for one in setup.curve}
    part = CurvePart.model_validate(
        {
            **keys,
            "id": free_id("sweep", taken),
            "name": "Sweep" if not setup.curve else f"Sweep {len(setup.curve) + 1}",
            "x": AxisPart.model_validate(axes[0] | {"scale": "logarithmic" if logarithmic else "linear"}),
            "y": [QuantityPart.model_validate(one) for one in axes[1:]],
        }
    )
    shown = tuple(_shown(one.body) for one in lines[first : first + 3])
    return FoundTable(lines[first].at, part, len(rows), shown, tuple(evidence))


def _value(way: _Cells, row: Sequence[bytes], place: int) -> float:
    value = way.number(row[place])
    return math.nan if value is None else value


@dataclass(slots=True, frozen=True)
class _Around:
    before: bytes | None
    progress: bytes | None
    after: bytes | None


def _around(lines: Sequence[_Line], first: int, last: int) -> _Around:
    """What was said right before the rows and right behind them, upon the same thing that was sent."""
    asked = lines[first].asked
    behind = lines[last] if last < len(lines) else None
    after = None
    if behind is not None and behind.asked == asked and behind.at - lines[last - 1].at < WITHIN:
        after = behind.body
    heads = [
        one.body
        for one in lines[max(0, first - 50) : first]
        if one.asked == asked and lines[first].at - one.at < WITHIN
    ]
    if asked == 0:
        heads = heads[-1:]  # it talks by itself: what stood before may be anything
    progress = [one for one in heads if len(_FIGURE.findall(one)) == 1]
    alike = [one for one in progress if _FIGURE.sub(b"#", one) == _FIGURE.sub(b"#", progress[-1])]
    if len(alike) < 2:
        alike = []
    others = [one for one in heads if one not in alike]
    same = others and heads[-1] == others[-1]
    return _Around(others[-1] if same else None, alike[-1] if alike else None, after)


def _with_field(body: bytes, codec: str, name: str) -> str:
    """A message as a pattern: its figure, if it has one, is a field."""
    found = _FIGURE.search(body)
    if found is None:
        return literal_source(body, codec)
    return (
        f"{literal_source(body[: found.start()], codec)}<{name}>{literal_source(body[found.end() :], codec)}"
    )


def _header(before: bytes | None, head: Sequence[bytes], way: _Cells) -> list[tuple[str, str]]:
    """Name and unit of each column, where the message before the rows gives them."""
    if before is None:
        return []
    cells = way.of(before)
    if len(cells) != len(head) or any(way.number(cell) is not None for cell in cells):
        return []
    found = []
    for cell in cells:
        text = cell.decode("latin-1").strip().strip('"')
        headed = _HEADED.match(text)
        found.append((headed[1][:80], headed[2].strip()) if headed and headed[1] else (text[:80], ""))
    titles = [title for title, _ in found]
    return found if len(set(titles)) == len(titles) and all(title.isprintable() for title in titles) else []


def _fields(titles: Sequence[str]) -> list[str]:
    found: list[str] = []
    for n, title in enumerate(titles):
        plain = re.sub(r"[^a-z0-9]+", "_", title.lower()).strip("_")[:30]
        name = plain if re.match(r"^[a-z]", plain) else "x" if n == 0 else f"y{n}"
        found.append(name if name not in found else f"{name}_{n}")
    return found


def _grows_by_factors(xs: Sequence[float]) -> bool:
    """Whether steps are more even over lg x than over x, and there are many of them in a decade or so."""
    if min(xs) <= 0 or max(xs) / min(xs) < 8:
        return False
    logs = [math.log(one) for one in xs]
    return _uneven(logs) < _uneven(xs)


def _uneven(values: Sequence[float]) -> float:
    steps = [abs(b - a) for a, b in itertools.pairwise(values)]
    mean = sum(steps) / len(steps)
    return max(abs(one - mean) for one in steps) / mean


def _shown(body: bytes | None) -> str:
    text = (body or b"").decode("latin-1")
    return "".join(one if one.isprintable() else "·" for one in text)[:60]
