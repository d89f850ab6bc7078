"""A value as text, as it stands in every file."""

import struct

_SINGLE = struct.Struct("<f")

SMALLEST = 1.2e-38
"""What a 32-bit float holds with all its bits."""

LARGEST = 1.797e308
"""What can be rounded to 15 digits without becoming endless."""


def figure(value: float, single: bool = False) -> str:
    """Up to 15 significant digits; of what an instrument sent as a 32-bit float (`single`), as many as name that float."""
    if single and (abs(value) >= SMALLEST or not value):
        try:
            packed = _SINGLE.pack(value)
            for digits in (6, 7, 8, 9):
                text = f"{value:.{digits}g}"
                if _SINGLE.pack(float(text)) == packed:
                    return text
        except OverflowError:
            pass  # scaled beyond what such a float holds
    return f"{value:.15g}" if -LARGEST < value < LARGEST else repr(value)
