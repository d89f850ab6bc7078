"""The other end of the pseudo-terminals: tight loops in processes of their own."""

import os
import pty
import subprocess
import sys
import tty
from collections.abc import Iterator
from contextlib import contextmanager

ECHO = """
import os, sys
fd, reply, query = int(sys.argv[1]), sys.argv[2].encode().decode("unicode_escape").encode("latin-1"), 0
while True:
    try:
        data = os.read(fd, 4096)
    except OSError:
        continue
    for _ in range(data.count(b"\\n")):
        os.write(fd, reply)
"""

STREAM = """
import os, sys, time
fd, line, go = int(sys.argv[1]), sys.argv[2].encode().decode("unicode_escape").encode("latin-1"), int(sys.argv[3])
os.read(fd, 1)
piece = line * 100
for _ in range(go // 100):
    view = memoryview(piece)
    while view:
        view = view[os.write(fd, view):]
os.write(fd, b"end\\n")
time.sleep(600)
"""


@contextmanager
def peer(program: str, *arguments: str) -> Iterator[str]:
    """Run a program on the master side of a new pseudo-terminal; gives the path of its slave."""
    master, slave = pty.openpty()
    tty.setraw(slave)
    path = os.ttyname(slave)
    process = subprocess.Popen(
        [sys.executable, "-c", program, str(master), *arguments], pass_fds=[master], stderr=subprocess.DEVNULL
    )
    try:
        yield path
    finally:
        process.kill()
        process.wait()
        os.close(master)
        os.close(slave)
