"""What a person is asked where two readings of the evidence remain."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

Answers = Mapping[str, str]
"""Keys of choices by keys of questions."""


@dataclass(slots=True, frozen=True)
class Choice:
    """One answer. `shown`: what messages of one's own would give then, as “message → value”."""

    key: str
    words: str
    shown: tuple[str, ...] = ()


@dataclass(slots=True, frozen=True)
class Question:
    """Asked in `words`. The key stays the same as long as the question does."""

    key: str
    words: str
    choices: tuple[Choice, ...]


class Asking:
    """Collects what is not answered yet while messages are looked at."""

    def __init__(self, answers: Answers) -> None:
        self._answers = answers
        self.open: dict[str, Question] = {}

    def ask(self, question: Question) -> str:
        """The key of the choice that was made; "" where the question is open."""
        given = self._answers.get(question.key, "")
        if any(choice.key == given for choice in question.choices):
            return given
        self.open.setdefault(question.key, question)
        return ""


LONGEST = 200


def key_of(kind: str, texts: Iterable[bytes]) -> str:
    """A question's key: the same for the same texts, in whatever order they came."""
    return f"{kind}:{'|'.join(shown_text(one) for one in sorted(texts))}"[:LONGEST]


def listed(texts: Iterable[bytes]) -> str:
    """Some texts in a sentence."""
    different = list(dict.fromkeys(texts))
    more = f" (and {len(different) - 4} more)" if len(different) > 4 else ""
    return " and ".join(f"“{shown_text(one)}”" for one in different[:4]) + more


def shown_text(text: bytes) -> str:
    """Bytes of a message in a sentence."""
    return "".join(
        chr(byte) if 0x20 <= byte < 0x7F else "°" if byte in (0xB0, 0xF8) else f"[{byte:02X}]"
        for byte in text[:60]
    )
