"""A followed file through the recorder: what its samples are when it starts again."""

import time
from pathlib import Path

from tests.conftest import wait_for
from tests.recorder.inside import Inside, inside
from tidybench.core.samples import qualities_of, unpack
from tidybench.wire.places import Places
from tidybench.wire.setups import ApplySetups, SetupText

TEXT = """
[instrument]
id = "log"
name = "Log of another"
talks = "on its own"
[link]
kind = "file"
path = "{path}"
begin = "{begin}"
[framing]
terminator = "\\n"
[listen]
patterns = ["<v>"]
[[channel]]
id = "v"
name = "V"
field = "v"
"""


def values(made: Inside) -> list[float]:
    records = unpack(b"".join(made.recorder.writer.samples.since(0)))
    return [float(v) for v in records["value"][qualities_of(records) == 0]]


def follow(made: Inside, path: Path, begin: str) -> None:
    made.ask(ApplySetups(setups=[SetupText(id="log", text=TEXT.format(path=path, begin=begin))]))
    wait_for(lambda: made.recorder.employment.now.workers[f"file:{path}"].is_open)


def test_a_file_begun_anew_glues_nothing(places: Places, tmp_path: Path) -> None:
    """Fault 7: 13 and 7.5 became 137.5."""
    path = tmp_path / "log.txt"
    path.write_bytes(b"12.5\n13")
    with inside(places) as made:
        follow(made, path, "at its beginning")
        wait_for(lambda: values(made) == [12.5])
        path.write_bytes(b"7.5\n")
        wait_for(lambda: len(values(made)) > 1)
        with open(path, "ab") as file:
            file.write(b"8.5\n9")
        wait_for(lambda: len(values(made)) > 2)
        assert values(made) == [12.5, 7.5, 8.5]


def test_started_in_the_middle_of_a_line_it_waits_for_the_next(places: Places, tmp_path: Path) -> None:
    """Fault 7: 8.27 came of 148.27, where the pause before it was long enough."""
    path = tmp_path / "log.txt"
    path.write_bytes(b"12.5\n14")
    with inside(places) as made:
        follow(made, path, "at its end")
        time.sleep(0.7)  # longer than any pause that tells a beginning on a serial line
        with open(path, "ab") as file:
            file.write(b"8.27\n9.1\n")
        wait_for(lambda: values(made))
        assert values(made) == [9.1]
