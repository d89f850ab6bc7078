"""A request that cannot be carried out."""

from tidybench.wire.protocol import Trouble


class RequestRefused(Exception):
    """Says why in a sentence; `trouble` as in the wire's Answer."""

    def __init__(self, trouble: Trouble, why: str) -> None:
        self.trouble: Trouble = trouble
        super().__init__(why)
