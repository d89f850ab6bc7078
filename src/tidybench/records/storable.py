"""Texts as PostgreSQL takes them."""


def storable(text: str) -> str:
    """A text without NUL (a file may have been written by something else than Tidy Bench)."""
    return text.replace("\0", "\ufffd")
