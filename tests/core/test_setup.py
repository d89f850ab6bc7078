"""Set-ups: every slip is said in words."""

from pathlib import Path

import pytest

from tests.conftest import DEMO, setup_text
from tidybench.core.compile.load import load
from tidybench.core.setup import SetupError

GOOD = setup_text("loop-flow-meter")


@pytest.mark.parametrize("path", sorted(DEMO.glob("*.setup.toml")), ids=lambda path: path.name)
def test_the_demo_s_set_ups_are_good(path: Path) -> None:
    assert load(path.read_text("utf-8")).channel


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ("baud = 9600", "bawd = 9600", "Line 11, link.bawd: there is no such key"),
        ("baud = 9600", 'baud = "fast"', "Line 11, link.baud"),
        ('parity = "none"', 'parity = "sometimes"', "'sometimes' is not possible here"),
        ('port = "simulated/loop-flow-meter"', "", "link.port: this key is missing"),
        ('id = "loop-flow-meter"', 'id = "Loop Flow"', "cannot be an id"),
        ("every_s = 0.2", "every_s = -1", "every_s"),
        ("every_s = 0.2", "every_s = 0.0001", "at least 0.001 s"),
        ("<state:word>", "<flow:word>", "pattern 1: column 40: the name “flow” is used twice"),
        ('field = "flow"', 'field = "floe"', "no number is called “floe” (there are: flow)"),
        ('query = "flow"', 'query = "flaw"', "there is no query “flaw”"),
        ("low = 60", "low = 600", "must be below"),
        ("stop_bits = 1", "stop_bits = 3", "1, 1.5 or 2 stop bits"),
        ('talks = "when asked"', 'talks = "on its own"', "belongs to an instrument that talks"),
        ("[link]", "[link", "This is not TOML"),
        ('send = "FL?\\r"', 'send = "λ"', "made of bytes"),
    ],
)
def test_what_is_wrong_is_said(old: str, new: str, words: str) -> None:
    assert old in GOOD
    with pytest.raises(SetupError) as caught:
        load(GOOD.replace(old, new))
    assert words in str(caught.value)
    assert "Traceback" not in str(caught.value)


def test_all_problems_are_said_at_once() -> None:
    with pytest.raises(SetupError) as caught:
        load(GOOD.replace("baud", "bawd").replace("parity", "party"))
    assert len(caught.value.problems) == 2


def test_times_on_the_wire() -> None:
    link = load(GOOD).link
    assert link.byte_time == pytest.approx(1041.67, abs=0.01)
    assert link.short == "9600 8-N-1"


@pytest.mark.parametrize(
    ("link", "reach"),
    [
        ('port = "/dev/ttyUSB0"', ""),
        ('port = "rfc2217://lab:4001"', "connects to rfc2217://lab:4001 and sends there"),
        (
            'kind = "tcp"\nhost = "10.0.0.5"\ntcp_port = 502',
            "connects to 10.0.0.5, TCP port 502, and sends there",
        ),
        ('kind = "udp"\nlisten_port = 5005', ""),
        (
            'kind = "udp"\nlisten_port = 5005\nlisten_on = "0.0.0.0"\nhost = "h"\nudp_port = 7',
            "takes datagrams at udp://0.0.0.0:5005 and sends to h, UDP port 7",
        ),
        ('kind = "file"\npath = "/etc/passwd"', "reads the file /etc/passwd"),
    ],
)
def test_what_a_set_up_opens_besides_a_port_of_this_computer(link: str, reach: str) -> None:
    text = f'[instrument]\nid = "m"\nname = "M"\ntalks = "on its own"\n[link]\n{link}\n'
    assert load(text).link.reach == reach


@pytest.mark.parametrize(
    ("thinning", "interval"),
    [("", 0.2), ('thinning = { keep = "mean", every_s = 60 }', 60.0), ('thinning = { keep = "every", every = 10 }', 2.0),
     ('thinning = { keep = "max", every_s = 0.1 }', 0.2)],
)  # fmt: skip
def test_a_thinned_channel_has_the_interval_that_is_left(thinning: str, interval: float) -> None:
    """Else most cells of its steady rows are empty, and what is calculated from it calls it too old."""
    text = setup_text("loop-flow-meter").replace('id = "loop-flow"\n', f'id = "loop-flow"\n{thinning}\n')
    setup = load(text)
    assert setup.interval_of(setup.channel[0]) == pytest.approx(interval)
