"""The recorder process.

python -m tidybench.recorder [--carry-on] [SETUP.toml ...]: with set-up files it is a headless logger's
heart; without, the web server gives it its set-ups. `--carry-on` goes on with the run that was in progress.
Ends on SIGTERM or SIGINT, or when the process that started it does (end of file on the pipe
named by TIDY_PARENT_PIPE). A run in progress is then closed as interrupted.
"""

import fcntl
import logging
import os
import signal
import sys
import threading
import time
from pathlib import Path

from tidybench import __version__, logs
from tidybench.core.compile.load import load
from tidybench.core.setup import SetupError
from tidybench.recorder import tuning
from tidybench.recorder.recorder import Recorder
from tidybench.recorder.refused import RequestRefused
from tidybench.wire.places import Places, data_folder
from tidybench.wire.setups import SetupText

logger = logging.getLogger("tidybench.recorder")


def main() -> int:
    """Run until told to end."""
    arguments = sys.argv[1:]
    tuning.priority()
    os.umask(0o077)  # run folders, logs and sockets are their owner's alone
    places = Places(data_folder())
    places.make()
    logs.set_up("recorder", places.logs)
    logger.info("Tidy Bench %s begins (process %d)", __version__, os.getpid())
    done = threading.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: done.set())
    watch_parent(done)
    lock = only_one(places.data / "recorder.lock")
    if lock is None:
        print("Another recorder has these runs open and does not end.", file=sys.stderr)
        return 3
    recorder = Recorder(places, carry_on="--carry-on" in arguments)
    files = [Path(argument) for argument in arguments if not argument.startswith("--")]
    if files and not _apply(recorder, files):
        return 2
    tuning.collector()
    recorder.start()
    logger.info("ready")
    done.wait()
    recorder.stop()
    logger.info("ended")
    return 0


def _apply(recorder: Recorder, files: list[Path]) -> bool:
    try:
        texts = [
            SetupText(id=load(text).instrument.id, text=text)
            for text in (f.read_text("utf-8") for f in files)
        ]
        recorder.employment.apply(texts)
    except (OSError, SetupError, RequestRefused) as error:
        print(error, file=sys.stderr)
        return False
    return True


def only_one(path: Path, patience: float = 10.0) -> int | None:
    """A lock on the data folder, held until this process ends; a recorder that ends just now is waited for."""
    fd = os.open(path, os.O_RDWR | os.O_CREAT, 0o600)
    until = time.monotonic() + patience
    while True:
        try:
            fcntl.flock(fd, fcntl.LOCK_EX | fcntl.LOCK_NB)
            return fd
        except BlockingIOError:
            if time.monotonic() > until:
                return None
            time.sleep(0.05)


def watch_parent(done: threading.Event) -> None:
    """Set `done` when the process that started this one is gone."""
    pipe = os.environ.get("TIDY_PARENT_PIPE")
    if not pipe:
        return

    def watch() -> None:
        os.read(int(pipe), 1)
        done.set()

    threading.Thread(target=watch, name="parent", daemon=True).start()


if __name__ == "__main__":
    sys.exit(main())
