"""Reading and writing descriptors that never block, without giving up the interpreter.

`os.read` and `os.write` let other threads have the interpreter meanwhile, and one that waits for it takes it: two microseconds of a system
call then cost as long as that thread goes on. What cannot block needs no such courtesy.
"""

import ctypes
import errno
import os

_LIBC = ctypes.PyDLL(None, use_errno=True)
_read, _write = _LIBC.read, _LIBC.write
for _call in (_read, _write):
    _call.argtypes = (ctypes.c_int, ctypes.c_void_p, ctypes.c_size_t)
    _call.restype = ctypes.c_ssize_t


class QuickEnd:
    """A descriptor with O_NONBLOCK set, of at most `size` bytes a read. One thread at a time."""

    __slots__ = ("_buffer", "_fd", "_size", "_where")

    def __init__(self, fd: int, size: int) -> None:
        self._fd, self._size = fd, size
        self._buffer = ctypes.create_string_buffer(size)
        self._where = ctypes.addressof(self._buffer)

    def read(self, most: int = 0) -> bytes:
        """What is there, at most so many bytes (0: `size`). Raises as os.read does: BlockingIOError where nothing is."""
        while (count := _read(self._fd, self._where, most or self._size)) < 0:
            _refuse()
        return ctypes.string_at(self._where, count)

    def write(self, data: bytes) -> int:
        """How many bytes went. Raises as os.write does: BlockingIOError where none did."""
        count: int
        while (count := _write(self._fd, data, len(data))) < 0:
            _refuse()
        return count


def _refuse() -> None:
    """Raises what the call has failed by; where a signal came between, nothing: it is done again (as PEP 475 has it)."""
    number = ctypes.get_errno()
    if number != errno.EINTR:
        raise OSError(number, os.strerror(number))
