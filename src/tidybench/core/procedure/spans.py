"""Times as a procedure's text has them."""

SIZES = {"h": 3_600_000_000, "min": 60_000_000, "s": 1_000_000}


def span_words(us: int) -> str:
    """Microseconds in the largest unit that gives a whole number, else in seconds: 2 min, 1.5 s."""
    for unit, size in SIZES.items():
        if us >= size and us % size == 0:
            return f"{us // size} {unit}"
    return f"{us / 1_000_000:.12g} s"
