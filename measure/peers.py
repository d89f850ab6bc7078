"""The other end of the pseudo-terminals: small loops in processes of their own."""

import os
import pty
import subprocess
import sys
import tty
from collections.abc import Iterator
from contextlib import contextmanager

ECHO = """
import os, sys
fd, reply = int(sys.argv[1]), sys.argv[2].encode().decode("unicode_escape").encode("latin-1")
while True:
    try:
        data = os.read(fd, 4096)
    except OSError:
        continue
    for _ in range(data.count(b"\\n")):
        os.write(fd, reply)
"""
"""Answers every query at once."""

STREAM = """
import os, sys, time
fd, line, count = int(sys.argv[1]), sys.argv[2].encode().decode("unicode_escape").encode("latin-1"), int(sys.argv[3])
os.read(fd, 1)
piece = line * 100
for _ in range(count // 100):
    view = memoryview(piece)
    while view:
        view = view[os.write(fd, view):]
time.sleep(600)
"""
"""Sends so many lines as fast as they are taken, once a byte was received."""

MANY = """
import os, select, sys, time
try:
    os.sched_setscheduler(0, os.SCHED_RR, os.sched_param(1))
except OSError:
    pass
fds = [int(fd) for fd in sys.argv[1].split(",")]
due = []
while True:
    wait = None if not due else max(0.0, due[0][0] - time.monotonic())
    for fd in select.select(fds, (), (), wait)[0]:
        try:
            data = os.read(fd, 4096)
        except OSError:
            continue
        if b"\\n" in data:
            print(time.time_ns(), flush=True)
            due.append((time.monotonic() + 0.012, fd))
    while due and due[0][0] <= time.monotonic():
        os.write(due.pop(0)[1], b"+0148.27\\n")
"""
"""Answers on many pseudo-terminals, 12 ms after each query (no 9600 baud line is faster with 11 bytes), and
prints when each query arrived."""

FLOOD = """
import os, sys, time
fd, rate = int(sys.argv[1]), float(sys.argv[2])
os.set_blocking(fd, False)
line = b"+0148.27,12.345,-7.25,1013.2\\n"
began, sent = time.monotonic(), 0
while True:
    due = int((time.monotonic() - began) * rate / 10 / len(line))
    if due > sent:
        try:
            os.write(fd, line * min(due - sent, 100))
        except (BlockingIOError, OSError):
            pass
        sent = due
    time.sleep(0.002)
"""
"""Talks on its own without pause at a baud rate."""

COUNTING = """
import os, sys, time
fd, n = int(sys.argv[1]), 0
while True:
    try:
        data = os.read(fd, 4096)
    except OSError:
        continue
    for _ in range(data.count(b"\\n")):
        n += 1
        os.write(fd, b"%d\\n" % n)
        print(n, time.time_ns(), flush=True)
"""
"""Answers 1, 2, 3 … and prints when the last byte of each was sent."""

STATIONS = """
import math, os, sys, time
fds = [int(fd) for fd in sys.argv[1].split(",")]
for fd in fds:
    os.set_blocking(fd, False)
began = time.monotonic()
while True:
    at = time.monotonic() - began
    for n, fd in enumerate(fds):
        swing = math.sin(at / 7 + n)
        line = b"T=%.2f RH=%.1f P=%.1f U=%.3f\\n" % (20 + swing + n / 10, 50 + 5 * swing, 1013 + swing, 5 + swing / 50)
        try:
            os.write(fd, line)
        except (BlockingIOError, OSError):
            pass
    time.sleep(max(0.0, 0.1 - (time.monotonic() - began - at)))
"""
"""Stations of four quantities that talk on their own, ten times a second."""


WIDE = """
import os, sys, time
fds, fields = [int(fd) for fd in sys.argv[1].split(",")], int(sys.argv[2])
for fd in fds:
    os.set_blocking(fd, False)
began, count = time.monotonic(), 0
while True:
    count += 1
    line = ",".join("%.2f" % (count * 0.01 % 9 + n) for n in range(fields)).encode() + b"\\n"
    for fd in fds:
        try:
            os.write(fd, line)
        except (BlockingIOError, OSError):
            pass
    time.sleep(max(0.0, began + count * 0.1 - time.monotonic()))
"""
"""Talk on their own, ten times a second, so many numbers a line."""


@contextmanager
def peer(
    program: str, *arguments: str, count: int = 1, nice: int = 0, stdin: bool = False
) -> Iterator[tuple[list[str], subprocess.Popen[str]]]:
    """Run a program on the master sides of new pseudo-terminals; gives the paths of their slaves."""
    pairs = [pty.openpty() for _ in range(count)]
    for _, slave in pairs:
        tty.setraw(slave)
    paths = [os.ttyname(slave) for _, slave in pairs]
    masters = [master for master, _ in pairs]
    command = [sys.executable, "-u", "-c", program, ",".join(map(str, masters)), *arguments]
    process = subprocess.Popen(
        ["nice", "-n", str(nice), *command],
        pass_fds=masters, stdin=subprocess.PIPE if stdin else None, stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL, text=True,
    )  # fmt: skip
    try:
        yield paths, process
    finally:
        process.kill()
        process.wait()
        for master, slave in pairs:
            os.close(master)
            os.close(slave)
