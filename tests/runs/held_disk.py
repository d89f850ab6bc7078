"""A disk in the test's hand."""

from collections.abc import Callable

from tidybench.runs.disk import Done


class HeldDisk:
    """A disk that does nothing until it is let."""

    def __init__(self) -> None:
        self.held: list[tuple[Callable[[], None], Done]] = []

    def run(self, work: Callable[[], None], done: Done) -> None:
        self.held.append((work, done))

    def let_go(self, error: Exception | None = None) -> None:
        while self.held:
            work, done = self.held.pop(0)
            work()
            done(error)
