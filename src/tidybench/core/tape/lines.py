"""Events as lines of the tape, one JSON object each.

Bytes become text with one character per byte (ISO 8859-1), so that a technician can read a tape in any editor and a
script can get the bytes back exactly.
"""

import json
from functools import lru_cache
from json.encoder import encode_basestring
from typing import Any, get_args

from tidybench.core.tape.events import Event, Missed, Received, Sent
from tidybench.core.values.origin import Asked, Origin, origin_of


class TapeError(ValueError):
    """A line of a tape that cannot be read."""


_KINDS: dict[str, type[Any]] = {cls.kind: cls for cls in get_args(Event)}


def tape_line(sequence: int, link: str, event: Event) -> str:
    """One line of the tape, without its line end."""
    kind = type(event)
    if kind is Received:
        text = encode_basestring(event.data.decode("latin-1"))  # type: ignore[union-attr]
        return f'{{"n":{sequence},"t":{event.at},"l":{_quoted(link)},"k":"in","b":{text}}}'
    if kind is Sent:
        text = encode_basestring(event.data.decode("latin-1"))  # type: ignore[union-attr]
        return (
            f'{{"n":{sequence},"t":{event.at},"l":{_quoted(link)},"k":"out","b":{text},'
            f'"p":{event.poll},"q":{_quoted_origin(event.origin)}}}'  # type: ignore[union-attr]
        )
    rest = {name: getattr(event, name) for name in event.__slots__ if name != "at"}
    if kind is Missed:
        rest["query"] = event.query.text  # type: ignore[union-attr]
    more = "".join(f",{encode_basestring(k)}:{json.dumps(v, ensure_ascii=False)}" for k, v in rest.items())
    return f'{{"n":{sequence},"t":{event.at},"l":{_quoted(link)},"k":"{event.kind}"{more}}}'


_quoted = lru_cache(4096)(encode_basestring)
"""Links come again and again."""


@lru_cache(4096)
def _quoted_origin(origin: Origin | None) -> str:
    return encode_basestring(origin.text if origin is not None else "")


def parse_tape_line(line: str) -> tuple[int, str, Event]:
    """A line of the tape as (sequence number, link, event).

    Raises TapeError, naming what is wrong, for a line that no version of the tape writes.
    """
    try:
        fields = json.loads(line)
        sequence, at, link = int(fields.pop("n")), int(fields.pop("t")), str(fields.pop("l"))
        cls = _KINDS[fields.pop("k")]
        if cls is Received:
            return sequence, link, Received(at, fields["b"].encode("latin-1"))
        if cls is Sent:
            poll = int(fields["p"])
            return (
                sequence,
                link,
                Sent(at, fields["b"].encode("latin-1"), poll, _origin(fields["q"], poll > 0)),
            )
        if cls is Missed:
            fields["query"] = Asked(*fields["query"].split("/", 1))
        return sequence, link, cls(at, **fields)
    except (ValueError, KeyError, TypeError, AttributeError, OverflowError, RecursionError) as error:
        raise TapeError(f"not a line of a tape ({error}): {line[:80]!r}") from error


_origin = lru_cache(4096)(origin_of)
