"""Patterns that can never match, because one before them takes everything that they would."""

from itertools import dropwhile, takewhile

from tidybench.core.reading.element import Element
from tidybench.core.reading.pattern import Pattern


class Shadows:
    """The patterns of one query or listener, in the order in which they are tried."""

    def __init__(self) -> None:
        self._wide: list[tuple[str, bytes]] = []
        self._seen: dict[str, str] = {}

    def of(self, called: str, pattern: Pattern) -> list[str]:
        """Why this one can never match, in a sentence; [] where it may."""
        found = []
        begins = _begins(pattern.elements)
        first = self._seen.get(pattern.source)
        if first is not None:
            found.append(f"it can never match: it is the same as {first}. Leave one of them out.")
        else:
            found += [
                f"it can never match: {other} takes every message "
                + (f"that begins with “{start.decode('latin-1').strip()}”" if start else "there is")
                + ". Put it in front of that one."
                for other, start in self._wide
                if begins.startswith(start)
            ][:1]
        self._seen.setdefault(pattern.source, called)
        if _takes_the_rest(pattern.elements):
            self._wide.append((called, begins))
        return found


def _begins(elements: tuple[Element, ...]) -> bytes:
    """The characters that every message begins with; one blank for any number of them."""
    fixed = takewhile(lambda one: one.kind in ("literal", "blank"), elements)
    return b"".join(one.text or b" " for one in fixed)


def _takes_the_rest(elements: tuple[Element, ...]) -> bool:
    """Whether, after a beginning that is always alike, anything may follow."""
    rest = [*dropwhile(lambda one: one.kind in ("literal", "blank"), elements)]
    return len(rest) == 1 and rest[0].kind in ("text", "skip") and not rest[0].width and not rest[0].stop
