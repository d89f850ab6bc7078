"""Documents changed in place: comments stay, and what is of another kind goes whole."""

import tomllib

from tidybench.core.compile.edit import document_with

SERIAL = """# the control system's
[[destination]]
id = "a"  # ours
name = "A"
to = { kind = "serial", port = "/dev/ttyUSB3", baud = 9600 }
"""


def test_another_kind_of_destination_has_nothing_of_the_old_one() -> None:
    to = {"kind": "modbus", "tcp_port": 1502}
    made = document_with(SERIAL, {"destination": [{"id": "a", "name": "A", "to": to}]})
    assert tomllib.loads(made)["destination"] == [{"id": "a", "name": "A", "to": to}]
    assert made.startswith("# the control system's")
    assert '"a"  # ours' in made
