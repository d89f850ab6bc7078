"""Where a bench keeps its things, and where its two processes meet."""

import hashlib
import os
import tempfile
from dataclasses import dataclass
from pathlib import Path

PORT = 8470
"""The pages' TCP port, unless another one is named or it is taken."""


@dataclass(slots=True, frozen=True)
class Places:
    """The folders of one bench. `data` is DATA in the docs."""

    data: Path

    @property
    def runs(self) -> Path:
        """Run folders."""
        return self.data / "runs"

    @property
    def setups(self) -> Path:
        """Set-up files that are imported at the start."""
        return self.data / "set-ups"

    @property
    def recorder_state(self) -> Path:
        """The recorder's state file."""
        return self.data / "recorder.json"

    @property
    def open_alarms(self) -> Path:
        """Alarms that nobody has seen yet."""
        return self.data / "alarms.json"

    @property
    def access(self) -> Path:
        """Token and port of the web server; its owner's alone."""
        return self.data / "access.json"

    @property
    def sessions(self) -> Path:
        """The sessions of browsers, by their hashes; taken away, every one has ended."""
        return self.data / "sessions.json"

    @property
    def database_question(self) -> Path:
        """What a person is asked about a database that knew less than the bench."""
        return self.data / "database-question.json"

    @property
    def database(self) -> Path:
        """Where the private cluster is and its password; its owner's alone."""
        return self.data / "database.json"

    @property
    def logs(self) -> Path:
        """The logs of all processes."""
        return self.data / "logs"

    @property
    def thinning(self) -> Path:
        """What may be taken out of old runs, when a person is asked."""
        return self.data / "thinning.json"

    @property
    def uploads(self) -> Path:
        """Pictures on their way into a run's folder."""
        return self.data / "uploads"

    @property
    def simulated(self) -> Path:
        """The stand-ins' ports."""
        return self.data / "simulated"

    @property
    def stand_ins(self) -> Path:
        """The socket that the demo's stand-ins are told by which faults to show."""
        return self.sockets / "stand-ins"

    @property
    def sockets(self) -> Path:
        """A short folder that only its owner may enter: a socket's path has at most 107 bytes."""
        key = hashlib.sha256(str(self.data.resolve()).encode()).hexdigest()[:12]
        base = os.environ.get("XDG_RUNTIME_DIR") or tempfile.gettempdir()
        if len(os.fsencode(base)) > 60 or not os.path.isdir(base):
            base = "/tmp"
        return Path(base) / f"tidybench-{os.getuid()}-{key}"

    @property
    def control(self) -> str:
        """The endpoint that answers requests."""
        return f"ipc://{self.sockets}/control"

    @property
    def live(self) -> str:
        """The endpoint that publishes."""
        return f"ipc://{self.sockets}/live"

    def make(self) -> None:
        """Create what is missing; raises PermissionError where the sockets' folder is another's."""
        for folder in (self.data, self.runs, self.setups):
            folder.mkdir(parents=True, exist_ok=True)
        self.sockets.mkdir(mode=0o700, exist_ok=True)
        found = self.sockets.lstat()
        if found.st_uid != os.getuid() or found.st_mode & 0o077:
            raise PermissionError(
                f"{self.sockets} belongs to someone else, or others may enter it: remove it"
            )


def data_folder() -> Path:
    """TIDY_DATA, or the XDG data home (Base Directory Specification)."""
    named = os.environ.get("TIDY_DATA")
    if named:
        return Path(named).expanduser().resolve()
    home = os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share"
    return Path(home) / "tidybench"
