"""An instrument that talks on a pseudo-terminal of its own."""

import os
import threading
import time
import tty


class Talker:
    """Sends `lines()` every `every` seconds, until it is stopped."""

    every = 0.01

    def __init__(self) -> None:
        self.master, self.slave = os.openpty()
        tty.setraw(self.master)
        self.path = os.ttyname(self.slave)
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, daemon=True)

    def lines(self) -> str:
        """What it sends now."""
        raise NotImplementedError

    def start(self) -> None:
        """Begin."""
        self._thread.start()

    def _run(self) -> None:
        due = time.monotonic()
        while not self._stop.is_set():
            data = self.lines().encode()
            while data:
                data = data[os.write(self.master, data) :]
            due += self.every
            time.sleep(max(0.0, due - time.monotonic()))

    def stop_talking(self) -> None:
        """Say no more; the port stays."""
        self._stop.set()
        self._thread.join(5)

    def stop(self) -> None:
        """End."""
        self.stop_talking()
        os.close(self.master)
        os.close(self.slave)
