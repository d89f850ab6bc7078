"""Keeps the computer awake while a run is on, or waits."""

import logging
import shutil
import subprocess
import threading
from collections.abc import Callable
from pathlib import Path

from tidybench.core.plan.glance import SleepState

logger = logging.getLogger(__name__)

EVERY = 1.0
"""Seconds between two looks."""

COMMAND = "systemd-inhibit"
STATES = Path("/sys/power/state")
"""What the kernel says of sleep: empty where there is none."""


class Awake:
    """Looks now and then, in a thread of its own. systemd is asked not to sleep, and not to be idle, for as long as a command waits whose
    input is a pipe of ours: when we end, however that may be, it ends too."""

    def __init__(self, wanted: Callable[[], bool], command: str = COMMAND, states: Path = STATES) -> None:
        self._wanted, self._command, self._states = wanted, command, states
        self._holding: subprocess.Popen[bytes] | None = None
        self._stopping = threading.Event()
        self._failed = ""
        self.state = self._look()
        self._thread = threading.Thread(target=self._run, name="awake", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """End; the computer may sleep again."""
        self._stopping.set()
        self._thread.join(5)

    def _look(self) -> SleepState:
        try:
            can_sleep = bool(self._states.read_text().strip())
        except OSError:
            can_sleep = False
        if shutil.which(self._command) is None:
            return SleepState(can_sleep, f"there is no {self._command}")
        return SleepState(can_sleep, self._failed)

    def _run(self) -> None:
        while not self._stopping.wait(EVERY):
            self.state = self._look()
            wanted = self._wanted() and self.state.can_sleep
            if wanted and self._holding is None and not self.state.trouble:
                self._hold()
            elif self._holding is not None and self._holding.poll() is not None:
                self._refused()
            elif not wanted:
                self._let_go()
                self._failed = ""  # it is tried again with the next run
        self._let_go()

    def _hold(self) -> None:
        why = [
            "--who=Tidy Bench",
            "--why=A run is on, or waits to begin",
            "--what=sleep:idle",
            "--mode=block",
        ]
        try:
            self._holding = subprocess.Popen(
                [self._command, *why, "cat"],
                stdin=subprocess.PIPE,
                stdout=subprocess.DEVNULL,
                stderr=subprocess.PIPE,
                start_new_session=True,
            )
        except OSError as error:
            self._failed = f"{self._command} cannot be started ({error.strerror})"

    def _refused(self) -> None:
        assert self._holding is not None
        _, said = self._holding.communicate()
        lines = said.decode(errors="replace").strip().splitlines()
        self._failed = f"{self._command} was refused" + (f" ({lines[-1].rstrip('.')})" if lines else "")
        logger.warning("the computer is not kept awake: %s", self._failed)
        self._holding = None

    def _let_go(self) -> None:
        if self._holding is None:
            return
        if self._holding.stdin is not None:
            self._holding.stdin.close()
        try:
            self._holding.wait(5)
        except subprocess.TimeoutExpired:
            self._holding.kill()
        self._holding = None
