"""Which bench this is: an id of its own that stays, whatever the computer is called and whichever database it has."""

import os
import platform
import uuid
from dataclasses import dataclass
from pathlib import Path

from pydantic import BaseModel, ValidationError


class _Kept(BaseModel):
    id: str


@dataclass(slots=True, frozen=True)
class BenchName:
    """`key`: the id, kept in the bench's data folder. `name`: what the computer is called."""

    key: str
    name: str


def bench_name(data: Path) -> BenchName:
    """This bench's, made where it is new. Any process may ask first. Raises OSError."""
    path = data / "bench.json"
    name = platform.node() or "bench"
    try:
        return BenchName(_Kept.model_validate_json(path.read_bytes()).id, name)
    except FileNotFoundError:
        pass
    except ValidationError:
        path.replace(path.with_suffix(".unreadable"))
    making = path.with_name(f"{path.name}.{os.getpid()}")
    making.write_text(_Kept(id=uuid.uuid4().hex).model_dump_json(), "utf-8")
    try:
        os.link(making, path)  # whoever comes second takes the first one's
    except FileExistsError:
        pass
    finally:
        making.unlink()
    return BenchName(_Kept.model_validate_json(path.read_bytes()).id, name)
