"""The hand-written baselines: what a technician's own script does."""

import csv
import os
import tempfile
import termios
import time
import tty

import serial


def bare_polls(path: str, query: bytes, seconds: float) -> float:
    """Polls a second with nothing but os.write and os.read."""
    fd = os.open(path, os.O_RDWR | os.O_NOCTTY)
    count = 0
    until = time.perf_counter() + seconds
    while time.perf_counter() < until:
        os.write(fd, query)
        data = os.read(fd, 4096)
        while not data.endswith(b"\n"):
            data += os.read(fd, 4096)
        count += 1
    os.close(fd)
    return count / seconds


def bare_polls_at(path: str, query: bytes, baud: int, seconds: float) -> float:
    """The same with the line set to a baud rate; whole cycles only."""
    fd = os.open(path, os.O_RDWR | os.O_NOCTTY)
    tty.setraw(fd)
    settings = termios.tcgetattr(fd)
    settings[4] = settings[5] = getattr(termios, f"B{baud}")
    termios.tcsetattr(fd, termios.TCSANOW, settings)
    count = 0
    began = time.perf_counter()
    while (took := time.perf_counter() - began) < seconds:
        os.write(fd, query)
        data = b""
        while not data.endswith(b"\n"):
            data += os.read(fd, 4096)
        count += 1
    os.close(fd)
    return count / took


def scripted_polls(path: str, query: bytes, number: slice, seconds: float) -> float:
    """Polls a second of pyserial write, readline, float, csv.writer."""
    with serial.Serial(path, 9600, timeout=1) as line, tempfile.TemporaryFile("w+", newline="") as file:
        writer = csv.writer(file)
        count = 0
        until = time.perf_counter() + seconds
        while time.perf_counter() < until:
            line.write(query)
            writer.writerow([time.time(), float(line.readline()[number])])
            count += 1
    return count / seconds


def scripted_stream(path: str, lines: int) -> float:
    """Lines a second of pyserial readline, split, float, csv.writer."""
    with serial.Serial(path, 115200, timeout=5) as line, tempfile.TemporaryFile("w+", newline="") as file:
        writer = csv.writer(file)
        line.write(b"g")
        began = time.perf_counter()
        for _ in range(lines):
            writer.writerow([time.time(), *map(float, line.readline().split(b","))])
        return lines / (time.perf_counter() - began)
