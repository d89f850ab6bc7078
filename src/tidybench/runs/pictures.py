"""The pictures of a run: those that its procedures asked for, in its folder `pictures`."""

import os
from pathlib import Path

PICTURES = "pictures"

KINDS = {"jpg": "image/jpeg", "png": "image/png", "webp": "image/webp"}
"""Media types (IANA) by the ends of names."""


def kind_of(data: bytes) -> str:
    """The end of a picture's name, from its first bytes; "" where it is none of those that are kept. JPEG (ISO/IEC 10918-1, B.1.1.3), PNG
    (ISO/IEC 15948, 5.2), WebP (RFC 9649, 2)."""
    if data.startswith(b"\xff\xd8\xff"):
        return "jpg"
    if data.startswith(b"\x89PNG\r\n\x1a\n"):
        return "png"
    if data[:4] == b"RIFF" and data[8:12] == b"WEBP":
        return "webp"
    return ""


def add_picture(folder: Path, upload: Path) -> Path:
    """Move a picture, synced already, into a run's folder under the next number: pictures/003.jpg. It is safe against a power cut after
    `sync_pictures`. Only one thread may. Raises OSError."""
    inside = folder / PICTURES
    inside.mkdir(exist_ok=True)
    number = max((int(path.stem) for path in pictures(folder)), default=0) + 1
    kept = inside / f"{number:03d}{upload.suffix}"
    os.replace(upload, kept)
    return kept


def sync_pictures(folder: Path) -> None:
    """What was added to a run's folder stays there from now on. Any thread; it waits for the disk. Raises OSError."""
    for one in (folder / PICTURES, folder):
        descriptor = os.open(one, os.O_RDONLY)
        try:
            os.fsync(descriptor)
        finally:
            os.close(descriptor)


def pictures(folder: Path) -> list[Path]:
    """The pictures in a run's folder, in their order."""
    found = [one for one in (folder / PICTURES).glob("*") if one.stem.isdecimal() and one.suffix[1:] in KINDS]
    return sorted(found, key=lambda one: int(one.stem))
