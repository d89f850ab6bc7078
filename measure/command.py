"""Row `read-start`: from typing `./tidy read` to the rows of one message."""

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from measure.result import Result, median

ROOT = Path(__file__).resolve().parents[1]
SHEET = """[instrument]
id = "i"
name = "I"
talks = "on its own"
[link]
port = "none"
[listen]
patterns = ["T=<t>"]
[[channel]]
id = "t"
name = "T"
field = "t"
"""
ROUNDS = 11


def read_start() -> Result:
    """The whole command, the script in front of it included, in turn with Python that imports three packages."""
    with tempfile.TemporaryDirectory() as folder:
        sheet, capture = Path(folder) / "i.setup.toml", Path(folder) / "b.bin"
        sheet.write_text(SHEET)
        capture.write_bytes(b"T=1\r\nT=2\r\n")
        ours = [str(ROOT / "tidy"), "read", str(sheet), str(capture)]
        bare = [sys.executable, "-c", "import numpy, pydantic, tomlkit"]
        for command in (ours, bare):  # what is compiled is kept
            _run(command)
        pairs = [(_run(ours), _run(bare)) for _ in range(ROUNDS)]
    value, baseline = median([one for one, _ in pairs]), median([other for _, other in pairs])
    ratio = median([one / other for one, other in pairs])
    return Result(
        "read-start", value * 1000, "ms", "under 2x python -c \"import numpy, pydantic, tomlkit\"", ratio < 2,
        {"imports": baseline * 1000}, {"imports": ratio},
    )  # fmt: skip


def _run(command: list[str]) -> float:
    environment = {
        key: value for key, value in os.environ.items() if key not in ("PYTHONPATH", "PYTHONPYCACHEPREFIX")
    }
    began = time.perf_counter()
    done = subprocess.run(command, capture_output=True, env=environment, check=True)
    assert done.returncode == 0
    return time.perf_counter() - began
