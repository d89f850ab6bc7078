"""With how many decimals a number is to be shown, from the way it was written."""

import re

MAX_DECIMALS = 9


def decimals_of(text: bytes, point: bytes = b".") -> int:
    """The decimals that show every digit that was written: 2 of 1.25, 7 of 3.21E-05, none of 2.4E+03."""
    mantissa, *exponent = re.split(rb"[eEdD]", text, maxsplit=1)
    power = re.match(rb"[+-]?[0-9]{1,3}", exponent[0]) if exponent else None
    written = re.match(rb"[0-9]*", mantissa.partition(point)[2])
    places = (len(written[0]) if written else 0) - (int(power[0]) if power else 0)
    return min(max(places, 0), MAX_DECIMALS)
