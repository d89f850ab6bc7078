"""What bytes tell: text or not, parity, which settings fit, which addresses answer."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidybench.core.diagnosis.addresses import AddressError, judge_answer, query_maker
from tidybench.core.diagnosis.evidence import parity_seen, recurring_end, shape, unprintable_share
from tidybench.core.diagnosis.settings import Settings, best, judge, to_ask, to_listen
from tidybench.core.framing.check import CHECKERS, nmea
from tidybench.core.protocols.modbus import crc, crc_good, judge_reply, read_registers, seal
from tidybench.standins.uart import LineFormat, misread

GOOD = b"FL=+0148.27 L/min OK\r\nFL=+0148.31 L/min OK\r\n"


def test_a_modbus_frame_of_the_standard() -> None:
    # MODBUS over Serial Line 1.02, 6.2.2: the CRC of 02 07 is 1241 hexadecimal, low byte (41) first.
    assert crc(b"\x02\x07") == 0x1241
    assert seal(b"\x02\x07") == b"\x02\x07\x41\x12"
    assert crc_good(b"\x02\x07\x41\x12")
    assert not crc_good(b"\x02\x07\x12\x41")


def test_an_nmea_sentence_of_the_standard() -> None:
    assert nmea(b"$GPGLL,5057.970,N,00146.110,E,142451,A*27") == b"$GPGLL,5057.970,N,00146.110,E,142451,A"
    assert nmea(b"$GPGLL,5057.970,N,00146.111,E,142451,A*27") is None
    assert nmea(b"GPGLL*27") is None


def test_other_check_characters() -> None:
    assert CHECKERS["xor hex"](b"V=1;" + b"%02X" % (ord("V") ^ ord("=") ^ ord("1") ^ ord(";"))) == b"V=1;"
    assert CHECKERS["xor hex"](b"V=1;00") is None
    assert CHECKERS["modbus crc"](seal(b"\x0b\x03\x02\x01\x02")) == b"\x0b\x03\x02\x01\x02"


@given(st.text("0123456789ABCxyz=.,;+- \r\n", min_size=20, max_size=60), st.sampled_from(["even", "odd"]))
def test_seven_bits_with_parity_show_themselves_in_eight(text: str, parity: str) -> None:
    sent = misread(text.encode(), LineFormat(9600, 7, parity), LineFormat(9600))  # type: ignore[arg-type]
    if any(byte & 0x80 for byte in sent):
        assert parity_seen(sent) == parity


def test_marks_are_text_while_they_are_few() -> None:
    assert unprintable_share(b"\x02V=1.5\x03") == 0
    assert unprintable_share(b"\x00" * 20) == 1
    assert unprintable_share(b"") == 0


def test_what_recurs_may_be_the_end() -> None:
    assert recurring_end(b"1.5\r1.6\r1.7\r") == ("CR", 3)
    assert recurring_end(GOOD) == ("CR LF", 2)
    assert recurring_end(b"abc") is None
    assert shape(b"FL=+0148.27") == shape(b"FL=+0001.00")


@pytest.mark.parametrize(
    "own",
    [
        LineFormat(9600),
        LineFormat(2400, 7, "even"),
        LineFormat(19200, 7, "odd"),
        LineFormat(115200),
        LineFormat(38400),
    ],
    ids=str,
)
def test_listening_finds_the_settings(own: LineFormat) -> None:
    findings = []
    for settings in to_listen():
        heard = LineFormat(settings.baud, settings.data_bits, settings.parity)
        findings.append(judge(settings, misread(GOOD, own, heard)))
        if findings[-1].convincing:
            break
    found = best(findings)
    assert found is not None
    assert found.convincing
    assert (found.settings.baud, found.settings.data_bits, found.settings.parity) == (
        own.baud,
        own.data_bits,
        own.parity,
    )
    assert found.reasons


def test_noise_and_silence_convince_nobody() -> None:
    assert not judge(Settings(9600), bytes(range(128, 190))).convincing
    assert not judge(Settings(115200), b"\x00\x00\xff" * 20).convincing
    assert judge(Settings(9600), b"").score == 0
    assert best([judge(Settings(9600), b"\x80\xf8")]) is None
    assert judge(Settings(19200, 8, "even"), seal(b"\x0b\x03\x02\x01\x02")).convincing


def test_every_setting_is_asked_once() -> None:
    assert len(set(to_ask())) == len(to_ask())
    assert Settings(19200, 8, "even") in to_ask()


def test_addresses_in_a_query() -> None:
    assert query_maker("")(11) == read_registers(11)
    assert query_maker("#<address 2>?\r")(7) == b"#07?\r"
    with pytest.raises(AddressError, match="where the bus address goes"):
        query_maker("READ?\r")


def test_what_an_answer_says_of_an_address() -> None:
    request = read_registers(11)
    reply = seal(b"\x0b\x03\x02\x00\x2a")
    good = judge_reply(request, reply)
    assert good is not None
    assert not good.trouble
    assert judge_reply(request, b"") is None
    echoed = judge_reply(request, request + reply)
    assert echoed is not None
    assert not echoed.trouble
    for spoilt in (reply + reply, reply[:3] + b"\xff" + reply[4:]):
        found = judge_reply(request, spoilt)
        assert found is not None
        assert "two devices" in found.trouble
    exception = judge_reply(request, seal(b"\x0b\x83\x02"))
    assert exception is not None
    assert "illegal data address" in exception.trouble
    other = judge_reply(request, seal(b"\x0c\x03\x02\x00\x2a"))
    assert other is not None
    assert other.trouble == "address 12 answered instead"


def test_what_a_text_says_of_an_address() -> None:
    assert judge_answer("#<address>?", b"#7?", b"") is None
    assert judge_answer("#<address>?", b"#7?", b"#7?\r") is None
    assert judge_answer("#<address>?", b"#7?", b"+1.5\r\n") == ""
    assert "more than one" in (judge_answer("#<address>?", b"#7?", b"+1.5\r\n+1.7\r\n") or "")
    assert "garbled" in (judge_answer("#<address>?", b"#7?", b"\x9b\xf1.\r\n") or "")


@pytest.mark.parametrize("sign", [b"\xb0", b"\xc2\xb0", b"\xf8", b"\xb5"])
def test_a_degree_sign_is_text(sign: bytes) -> None:
    """A sensor that writes “21,5 °C” was said to be at a wrong baud rate."""
    said = b"".join(b"%d,5 %sC\r\n" % (n, sign) for n in range(5, 13))
    assert unprintable_share(said[-64:]) == 0.0
    assert unprintable_share(bytes(byte | 0x80 for byte in said)) > 0.5
    assert unprintable_share(b"\xb0\xe3\x91" * 20) > 0.5
