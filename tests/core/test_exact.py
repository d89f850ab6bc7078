"""Numbers are numbers."""

import pytest
from pydantic import ValidationError

from tidybench.core.compile.load import load
from tidybench.core.setup import SetupError
from tidybench.wire.channels import ZeroChannel
from tidybench.wire.searches import StartSearch


@pytest.mark.parametrize("name", ["baud", "stop_bits", "data_bits", "first", "last"])
def test_true_is_no_number(name: str) -> None:
    """Fault 42: booleans were taken for numbers."""
    with pytest.raises(ValidationError, match=f"{name}: a number is wanted, not true"):
        StartSearch.model_validate({"search": "settings", "ports": ["x"], name: True})


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ("every_s = 1", "every_s = true", "every_s: a number is wanted, not true"),
        ("scale = 2", "scale = false", "scale: a number is wanted, not false"),
        ("baud = 9600", "baud = true", "baud: a number is wanted"),
    ],
)
def test_nor_in_a_set_up(old: str, new: str, words: str) -> None:
    text = (
        '[instrument]\nid = "m"\nname = "M"\n[link]\nport = "/dev/x"\nbaud = 9600\n[framing]\nterminator = "\\n"\n'
        '[[query]]\nid = "q"\nsend = "Q"\nevery_s = 1\npatterns = ["<v>"]\n'
        '[[channel]]\nid = "v"\nname = "V"\nfield = "v"\nscale = 2\n'
    )
    load(text)
    with pytest.raises(SetupError, match=words):
        load(text.replace(old, new))


def test_what_may_be_true_stays_so() -> None:
    assert ZeroChannel.model_validate({"channel": "v", "undo": True}).undo
