"""NMEA 0183 sentences: an address, fields between commas, empty where there is no reading."""

from tidybench.core.quality import Quality
from tidybench.core.reading.element import NOTHING, Element, Field, convert
from tidybench.core.reading.form import Read, missing, shown_cell
from tidybench.core.reading.stop import Stop
from tidybench.core.setup.readers import NmeaPart

POSITIONS: dict[str, tuple[str, ...]] = {
    "DBT": ("depth_ft", "", "depth", "", "depth_fathoms"),
    "DPT": ("depth", "offset", "range"),
    "MTW": ("temperature",),
    "HDT": ("heading",),
    "HDG": ("heading", "deviation", "", "variation"),
    "ROT": ("rate",),
    "RPM": ("", "number", "speed", "pitch"),
    "VHW": ("heading_true", "", "heading_magnetic", "", "speed_knots", "", "speed_kmh"),
    "VTG": ("track_true", "", "track_magnetic", "", "speed_knots", "", "speed_kmh"),
    "MWV": ("angle", "", "speed"),
}
"""What stands where in common sentences (NMEA 0183, 6.3); any field is also called f1, f2 … by its place."""

_NUMBER = Element(1, "number")


class NmeaForm:
    """Reads the sentences named and passes over the others.

    Fields are called f1, f2 …, and by name where the standard gives one. XDR has quadruples of type,
    value, unit and name (6.3, XDR): the value is called by its name, or by type and place (`C1`) where
    it has none. The checksum is the framing's affair.
    """

    def __init__(self, part: NmeaPart, wanted: frozenset[str] = frozenset()) -> None:
        self._sentences = frozenset(part.sentences)
        self._talker, self._wanted = part.talker, wanted

    @property
    def numbers(self) -> tuple[str, ...] | None:
        return None

    def read(self, message: bytes) -> Read:
        if message[:1] not in (b"$", b"!"):
            return Stop.at(message, 0, "“$”")
        body = message[1:]
        if body[-3:-2] == b"*":
            body = body[:-3]
        address, *cells = body.split(b",")
        name = address.decode("latin-1")
        if len(name) < 4 or not name.isalnum():
            return Stop(2, "a talker and a sentence, as in YXXDR", shown_cell(address))
        if name[-3:] not in self._sentences or (self._talker and not name.startswith(self._talker)):
            return {}
        fields: dict[str, Field] = {}
        position = 1 + len(address) + 1
        starts: dict[str, int] = {}
        names = self._names(name[-3:], cells)
        for index, cell in enumerate(cells):
            got = convert(_NUMBER, cell.strip()) if cell.strip() else NOTHING
            for called in (f"f{index + 1}", names.get(index, "")):
                if called:
                    fields[called] = got or (Quality.OK, cell.decode("latin-1"))
                    starts[called] = position
            position += len(cell) + 1
        for called in sorted(self._wanted & fields.keys()):
            if isinstance(fields[called][1], str):
                return Stop(
                    starts[called] + 1, f"a number ({called})", shown_cell(str(fields[called][1]).encode())
                )
        own = self._wanted - fields.keys()
        # A transducer that is not in this sentence says nothing; a sentence cut short does.
        return (
            missing(sorted(own), message)
            if own and name[-3:] != "XDR" and len(self._sentences) == 1
            else fields
        )

    @staticmethod
    def _names(sentence: str, cells: list[bytes]) -> dict[int, str]:
        if sentence != "XDR":
            return {index: name for index, name in enumerate(POSITIONS.get(sentence, ())) if name}
        names = {}
        for place, begin in enumerate(range(0, len(cells) - 3, 4), 1):
            kind, label = cells[begin].decode("latin-1"), cells[begin + 3].decode("latin-1").strip()
            names[begin + 1] = label or f"{kind}{place}"
        return names
