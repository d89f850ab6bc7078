"""A request that cannot be carried out."""

from tidybench.core.values.mark import has_controls
from tidybench.wire.protocol import Trouble


class RequestRefused(Exception):
    """Says why in a sentence; `trouble` as in the wire's Answer."""

    def __init__(self, trouble: Trouble, why: str) -> None:
        self.trouble: Trouble = trouble
        super().__init__(why)


def without_controls(text: str, what: str) -> str:
    """The text itself. Raises RequestRefused where it has characters that no file and no database takes."""
    if has_controls(text):
        raise RequestRefused("invalid", f"{what} has a control character in it. Remove it.")
    return text
