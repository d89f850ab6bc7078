"""The quality of a sample: whether it was measured and, if not, why not."""

from enum import IntEnum


class Quality(IntEnum):
    """What a sample's number is worth. Only OK and FLAGGED samples carry a number.

    The integer stands in samples.bin and the records, `code` in the CSV's flags column.
    """

    OK = 0
    FLAGGED = 1
    NO_READING = 2
    OVER = 3
    UNDER = 4
    NOT_UNDERSTOOD = 5
    BAD_CHECK = 6
    NO_REPLY = 7
    LINK_LOST = 8

    @property
    def code(self) -> str:
        """The short word used in files."""
        return _CODES[self]

    @property
    def words(self) -> str:
        """Why there is no number, as it is said beside a channel; "" for ok."""
        return _WORDS[self]

    @property
    def measured(self) -> bool:
        """Whether a sample of this quality carries a number."""
        return self <= Quality.FLAGGED


_CODES = {
    Quality.OK: "ok",
    Quality.FLAGGED: "flagged",
    Quality.NO_READING: "no-reading",
    Quality.OVER: "over",
    Quality.UNDER: "under",
    Quality.NOT_UNDERSTOOD: "not-understood",
    Quality.BAD_CHECK: "bad-check",
    Quality.NO_REPLY: "no-reply",
    Quality.LINK_LOST: "link-lost",
}

_WORDS = {
    Quality.OK: "",
    Quality.FLAGGED: "flagged",
    Quality.NO_READING: "no reading",
    Quality.OVER: "over range",
    Quality.UNDER: "under range",
    Quality.NOT_UNDERSTOOD: "not understood",
    Quality.BAD_CHECK: "bad checksum",
    Quality.NO_REPLY: "no reply",
    Quality.LINK_LOST: "link lost",
}
