"""Stands between the bench and its computer. Put first on PYTHONPATH.

TIDY_SYNCED names a file in which it is noted what is on the disk for certain: after each fsync, the file (by its inode: names change) and how long it was
before. TIDY_COMPUTER names a file of three numbers (int64), what is wrong with the computer: nanoseconds that its clock was moved by, microseconds
that an fsync takes longer, and the error that it ends with (0: none).
"""

import json
import mmap
import os
import time
from typing import Any

_NOTES, _WRONG = os.environ.get("TIDY_SYNCED", ""), os.environ.get("TIDY_COMPUTER", "")
_computer = memoryview(bytes(24)).cast("q")
if _WRONG:
    with open(_WRONG, "rb") as _file:
        _computer = memoryview(mmap.mmap(_file.fileno(), 24, access=mmap.ACCESS_READ)).cast("q")
_time_ns, _sleep = time.time_ns, time.sleep


def _noting(sync: Any) -> Any:
    def noted(fd: Any) -> None:
        number = fd if isinstance(fd, int) else fd.fileno()
        before = os.fstat(number)
        if _computer[1]:
            _sleep(_computer[1] / 1e6)
        if error := _computer[2]:
            raise OSError(error, os.strerror(error))
        sync(fd)
        os.write(_FILE, (json.dumps([before.st_ino, before.st_size]) + "\n").encode())

    return noted


if _NOTES:
    _FILE = os.open(_NOTES, os.O_WRONLY | os.O_APPEND | os.O_CREAT, 0o600)
    os.fsync = _noting(os.fsync)
    os.fdatasync = _noting(os.fdatasync)
if _WRONG:
    time.time_ns = lambda: _time_ns() + _computer[0]
    time.time = lambda: (_time_ns() + _computer[0]) / 1e9
