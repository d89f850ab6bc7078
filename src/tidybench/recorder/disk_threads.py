"""The threads that wait for the disk, so that nobody else does."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

from tidybench.runs.disk import Done

THREADS = 6
"""As many as a run has files: one that hangs must not hold the others up."""


class DiskThreads:
    """Carries out work on descriptors it is handed, and tells their owner through `post`. It writes nothing of its own.
    Only the owner's thread may use it."""

    def __init__(self, post: Callable[[Callable[[], None]], None]) -> None:
        self._post = post
        self._pool = ThreadPoolExecutor(THREADS, "disk")

    def run(self, work: Callable[[], None], done: Done) -> None:
        """Do `work` in one of its threads, then have the owner call `done`."""

        def job() -> None:
            problem: Exception | None = None
            try:
                work()
            except Exception as error:
                problem = error
            self._post(lambda: done(problem))

        try:
            self._pool.submit(job)
        except RuntimeError:  # it has been stopped: whoever still comes waits
            job()

    def stop(self) -> None:
        """Return when everything handed to it is done."""
        self._pool.shutdown(wait=True)
