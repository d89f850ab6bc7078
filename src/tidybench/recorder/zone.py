"""The time zone of this computer, by its name."""

import tzlocal


def zone_name() -> str:
    """As the time zone database (IANA) calls it, "" where the computer does not tell."""
    try:
        return tzlocal.get_localzone_name() or ""
    except (LookupError, OSError, ValueError):
        return ""
