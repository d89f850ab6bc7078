"""The whole message pattern language: widths, notations, choices, units, lists, optional parts, writing."""

import math
from datetime import datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidybench.core.quality import Quality
from tidybench.core.reading.pattern import PatternError, compile_pattern, walk
from tidybench.core.reading.shadows import Shadows
from tidybench.core.reading.stop import Stop

OK, NONE = Quality.OK, Quality.NO_READING


def values(source: str, message: str, encoding: str = "ascii") -> dict[str, object] | str:
    got = compile_pattern(source, encoding).read(message.encode(encoding))
    if isinstance(got, Stop):
        return str(got)
    return {name: value if quality is OK else quality.code for name, (quality, value) in got.items()}


@pytest.mark.parametrize(
    ("source", "message", "expected"),
    [
        # widths: exactly this many characters, decimals that are not sent
        ("<gap:number 6.3>", "012345", {"gap": 12.345}),
        ("<gap:number 6.3>", "-12345", {"gap": -12.345}),
        ("<gap:number 6.3>", "12.345", {"gap": 12.345}),
        ("<gap:number 6.3>", "    45", {"gap": 0.045}),
        ("<gap 6.3 none(------) [mm]>", "------", {"gap": "no-reading"}),
        ("<a 3><b 3>", "123456", {"a": 123.0, "b": 456.0}),
        ("<a 4> <b 4>", "  12  34", "stops at character 6: a number of 4 characters (b) was expected, a blank came"),
        ("<a 4> <b 4>", "  12   34", {"a": 12.0, "b": 34.0}),
        ("<id:text 4>:<v>", "AB12:5", {"id": "AB12", "v": 5.0}),
        ("<code:word 2><v>", "AB5", {"code": "AB", "v": 5.0}),
        # hexadecimal digits and bits
        ("S=<s:hex>;", "S=1aF;", {"s": 431.0}),
        ("S=0x<s:hex 4>", "S=0x00FF", {"s": 255.0}),
        ("B<b:bits>", "B01001", {"b": 9.0}),
        ("B<b:bits>", "B012", "stops at character 4: the end of the message was expected, “2” came"),
        # decimal commas
        ("P=<p decimal(,)>", "P=-3,25E+1", {"p": -32.5}),
        ("P=<p decimal(,) none(--,--)>;", "P=--,--;", {"p": "no-reading"}),
        # choices and units that scale
        ("<v> <s:choice(OK|LOW|LO)>", "5 LOW", {"v": 5.0, "s": "LOW"}),
        ("<v> <s:choice(OK|LOW)>", "5 OX", "stops at character 3: “OK” or “LOW” (s) was expected, “O” came"),
        ("<v [V]> <u:unit(mV|V|kV)>", "12.5 mV", {"v": 0.0125, "u": "mV"}),
        ("<r [kOhm]><u:unit(Ohm|kOhm|MOhm)>", "2MOhm", {"r": 2000.0, "u": "MOhm"}),
        ("<f [N]> <u:unit(kgf=9.80665|N)>", "2 kgf", {"f": 19.6133, "u": "kgf"}),
        ("<v over(OL) [V]> <u:unit(mV|V)>", "OL mV", {"v": "over", "u": "mV"}),
        # skipping and lists
        ("<* 5>=<v>", "ab=cd=7", {"v": 7.0}),
        ("<ch[1..3] sep(,)>", "1,-2,3e1", {"ch1": 1.0, "ch2": -2.0, "ch3": 30.0}),
        ("<ch[7..8] sep( ) none(--) [bar]>", "1  --", {"ch7": 1.0, "ch8": "no-reading"}),
        ("<ch[0..1]:int 3>", " 12-34", {"ch0": 12.0, "ch1": -34.0}),
        # signs behind, thousands, exponents of other letters, digits from the last
        ("<v sign(behind)>", "12.5-", {"v": -12.5}),
        ("<v sign(behind)> kg", "12.5 - kg", {"v": -12.5}),
        ("<v sign(behind)> kg", "12.5  kg", {"v": 12.5}),
        ("<v 7.2 sign(behind)>", "012505-", {"v": -125.05}),
        ("<v thousands(,)> rpm", "1,234,567.5 rpm", {"v": 1234567.5}),
        ("<v thousands(,)> rpm", "1234 rpm", {"v": 1234.0}),
        ("<v thousands(,)> rpm", "12,34 rpm", "stops at character 3: a blank was expected, “,” came"),
        ("<v thousands(,)> rpm", "1,2345 rpm", "stops at character 2: a blank was expected, “,” came"),
        ("<v decimal(,) thousands(.)>", "-1.234,5", {"v": -1234.5}),
        ("<v thousands( )>;", "12 345;", {"v": 12345.0}),
        ("<v exponent(D)>", "-1.25D+03", {"v": -1250.0}),
        ("<v exponent(D)>D", "12.5D", {"v": 12.5}),
        ("<v 7 reversed>", "52.4321", {"v": 1234.25}),
        ("<v 5 reversed>", "5.21-", {"v": -12.5}),
        # seconds, hexadecimal with a sign, hexadecimal floats
        ("<t:duration>", "01:23.5", {"t": 83.5}),
        ("<t:duration>;", "-1:02:03;", {"t": -3723.0}),
        ("<t:duration>", "1:62", "stops at character 1: minutes and seconds (t) was expected, “1” came"),
        ("<x:hex 4 signed>", "FFFE", {"x": -2.0}),
        ("<x:hex 4 signed>", "7FFF", {"x": 32767.0}),
        ("<x:hexfloat 8>", "41480000", {"x": 12.5}),
        ("<x:hexfloat 8 low>", "00004841", {"x": 12.5}),
        # what is said of a number somewhere else
        ("<q:quality(ST|US=flagged|OL=over)>,<w> kg", "ST,5 kg", {"q": "ST", "w": 5.0}),
        ("<q:quality(ST|US=flagged|OL=over)>,<w> kg", "US,5 kg", {"q": "US", "w": "flagged"}),
        ("<a>;<b>;<q:quality(.|!=over) of(b)>", "1;2;!", {"a": 1.0, "b": "over", "q": "!"}),
        ("<v flagged(*)>", "5.5*", {"v": "flagged"}),
        ("<u:unit(mV|V)> <v [V]>", "mV 12.5", {"u": "mV", "v": 0.0125}),
        ("<a [m]>;<u:unit(mV|V) of(b)>;<b [V]>", "1;mV;12.5", {"a": 1.0, "u": "mV", "b": 0.0125}),
        # a word and its bits
        ("<s:hex 2 bits(ready|-|alarm)>", "05", {"s": 5.0, "ready": 1.0, "alarm": 1.0}),
        ("<s:hex 2 bits(mode*3|-*2|gain*3)>", "A5", {"s": 165.0, "mode": 5.0, "gain": 5.0}),
        ("<s:int bits(a|b)>", "2", {"s": 2.0, "a": 0.0, "b": 1.0}),
        # what may be absent
        ("<v><? <u:word>?>", "5 V", {"v": 5.0, "u": "V"}),
        ("<v><? T=<t>?>;", "5;", {"v": 5.0, "t": "no-reading"}),
        ("<? A=<a>?>B=<b>", "B=2", {"a": "no-reading", "b": 2.0}),
        ("A<?(<x><?,<y>?>)?>", "A(1)", {"x": 1.0, "y": "no-reading"}),
        ("A<?(<x><?,<y>?>)?>", "A", {"x": "no-reading", "y": "no-reading"}),
        ("A<?B<x>?>C", "AB!C", "stops at character 3: a number (x) was expected, “!” came"),
    ],
)  # fmt: skip
def test_the_language_reads(source: str, message: str, expected: dict[str, object] | str) -> None:
    got = values(source, message)
    if isinstance(got, dict) and isinstance(expected, dict):
        absent = {name: "no-reading" for name, value in expected.items() if value == "no-reading"}
        assert {name: got[name] for name in absent} == absent
        for name in expected.keys() - absent.keys():
            assert got[name] == pytest.approx(expected[name]) if isinstance(expected[name], float) else got[name] == expected[name]  # fmt: skip
        assert got.keys() == expected.keys()
    else:
        assert got == expected


@pytest.mark.parametrize(
    ("source", "message", "expected"),
    [
        ("\\xAA<a:uint 1><b:sint 3>", "AA 05 FFFFFE", {"a": 5.0, "b": -2.0}),
        ("<b:sint 3 low>", "FEFFFF", {"b": -2.0}),
        ("<b:uint 2.1>", "00FB", {"b": 25.1}),
        ("<f:float 4>", "41480000", {"f": 12.5}),
        ("<f:float 2 low>", "404A", {"f": 12.5}),
        ("<f:float 8>", "4029000000000000", {"f": 12.5}),
        ("<f:float 4>", "7FC00000", "stops at character 1: a number in bytes (IEEE 754) (f) was expected, the byte 7F came"),
        ("<d:bcd 3>", "012345", {"d": 12345.0}),
        ("<d:bcd 3.2>", "01234D", {"d": -12.34}),
        ("<d:bcd 2 low>", "3412", {"d": 1234.0}),
        ("<d:bcd 1>", "1A", "stops at character 1: decimal digits, two a byte (d) was expected, the byte 1A came"),
        ("<s:uint 2 bits(a|-|c)>", "0005", {"s": 5.0, "a": 1.0, "c": 1.0}),
        ("<v[1..2]:sint 2>", "0001FFFF", {"v1": 1.0, "v2": -1.0}),
    ],
)  # fmt: skip
def test_bytes_are_read_in_the_same_notation(
    source: str, message: str, expected: dict[str, float] | str
) -> None:
    pattern = compile_pattern(source, "latin-1")
    body = bytes.fromhex(message)
    got = pattern.read(body)
    if isinstance(got, Stop):
        assert str(got) == expected
        return
    assert isinstance(expected, dict)
    assert {name: value for name, (_, value) in got.items()} == pytest.approx(expected)
    assert pattern.write({name: value for name, (_, value) in got.items()}) == body


@pytest.mark.parametrize(
    ("source", "message", "iso"),
    [
        ("<t:datetime>", "2026-11-26T01:02:03.250Z", "2026-11-26T01:02:03.250+00:00"),
        ("<t:datetime>", "2026-11-26 01:02", "2026-11-26T01:02:00+00:00"),
        ("<t:datetime>", "20261126T010203+0100", "2026-11-26T01:02:03+01:00"),
        ("<t:datetime>", "2026-11-26T01:02:03-09:30", "2026-11-26T01:02:03-09:30"),
        ("<t:datetime(DD.MM.YY hh:mm:ss)>", "26.11.26 01:02:03", "2026-11-26T01:02:03+00:00"),
        ("<t:datetime(MM/DD/YYYY,hh:mm:ss.f)>", "11/26/2026,01:02:03.5", "2026-11-26T01:02:03.5+00:00"),
        ("<t:datetime(hhmmss.f)>", "010203.50", "1970-01-01T01:02:03.5+00:00"),
        ("<t:datetime>", "2026-02-30 01:02", ""),
        ("<t:datetime>", "2026-02-03 24:02", ""),
        ("<t:datetime(hh:mm)>", "12:60", ""),
    ],
)
def test_dates_and_times_are_seconds_since_1970(source: str, message: str, iso: str) -> None:
    """Held against Python's own reading of ISO 8601."""
    got = compile_pattern(source).read(message.encode())
    if not iso:
        assert isinstance(got, Stop)
        return
    assert not isinstance(got, Stop), got
    assert got["t"][1] == datetime.fromisoformat(iso).timestamp()


@pytest.mark.parametrize(
    ("source", "words"),
    [
        ("<a:uint>", "uint wants its bytes"),
        ("<a:float 3>", "float wants its bytes: 2, 4, 8"),
        ("<a:hexfloat 5>", "hexfloat wants its digits"),
        ("<a:hex signed>", "signed wants a width"),
        ("<a signed>", "signed belongs to hex"),
        ("<a low>", "low says which byte comes first"),
        ("<a reversed>", "reversed wants a width"),
        ("<a:hex 3 reversed>", "reversed belongs to a number"),
        ("<a thousands(x)>", "thousands are parted by"),
        ("<a thousands(.)>", "parted by the same sign"),
        ("<a sign(front)>", "a sign stands in front, or behind"),
        ("<a exponent(12)>", "takes one letter"),
        ("<a:word bits(x)>", "only a whole number has bits"),
        ("<a:int bits(1x)>", "no name for a bit"),
        ("<a:int bits(a|a)>", "used twice"),
        ("<a:int bits(b*x)>", "how many bits"),
        ("<a:word exponent(D)>", "belongs to a number"),
        ("<a of(b)>", "belongs to a unit or a quality"),
        ("<a>;<q:quality(X) of(b)>", "there is no number “b”"),
        ("<a>;<q:quality(X=wrong)>", "is not a quality"),
        ("<a>;<q:quality(|X)>", "an empty text says nothing"),
        ("<a sign(behind)>-", "takes “-” too"),
        ("<t:datetime(hh)>", "at least hh and mm"),
        ("<t:datetime(DD hh:mm)>", "a year, MM and DD"),
        ("<t:datetime(hh:mm q)>", "“q” says nothing in a layout"),
        ("<t:datetime(hh:mm:ss.f mm)>", "mm stands there twice"),
        ("<t:datetime(hh:mm f ss)>", "stands behind ss"),
        ("<t:datetime><v>", "two fields touch"),
        ("<t:datetime(hhmmss.f)>5", "takes these digits too"),
    ],
)
def test_what_cannot_be_is_refused_with_its_place(source: str, words: str) -> None:
    with pytest.raises(PatternError) as caught:
        compile_pattern(source)
    assert words in str(caught.value)


@pytest.mark.parametrize(
    "message", ["1.2.3 ", "12-45 ", "0x12  ", "1e999 ", "NaN   ", "٣٣٣", "1 2345", "      "]
)
def test_a_width_makes_no_numbers(message: str) -> None:
    raw = message.encode()[:6].ljust(6)
    assert isinstance(compile_pattern("<v 6>").read(raw), Stop)


def test_text_in_other_encodings() -> None:
    assert values("T=<t> °C <w:word>", "T=21.5 °C größer", "utf-8") == {"t": 21.5, "w": "größer"}
    assert values("T=<t>°<u:choice(C|F)>", "T=21.5°C", "cp437") == {"t": 21.5, "u": "C"}
    assert compile_pattern("<t>°", "latin-1").match(b"5\xb0") is not None


@pytest.mark.parametrize(
    ("source", "column", "words"),
    [
        ("<a:nubmer>", 4, "Did you mean number?"),
        ("<a noen(x)>", 4, "Did you mean none?"),
        ("<a wide>", 4, "“wide” is not known in a field"),
        ("<a 0>", 4, "at least 1"),
        ("<a 3.3>", 4, "wider than its decimals"),
        ("<a:hex 4.1>", 8, "decimals belong to a number"),
        ("<a:choice(A|B) 3>", 16, "has no width"),
        ("<a:choice>", 10, "wants its texts"),
        ("<a:choice(A|)>", 10, "no choice"),
        ("<a> <u:unit(mV|V)>", 5, "Give a a unit"),
        ("<a [V]> <u:unit(bar)>", 9, "nothing says how many V one bar is"),
        ("<u:unit(mV|V)>", 1, "there is none"),
        ("<a> <u:unit(x=-1)>", 12, "above zero"),
        ("<a decimal(;)>", 4, "comma or a point"),
        ("<a:int decimal(,)>", 8, "belongs to a number"),
        ("<a sep(,)>", 1, "belongs to a list"),
        ("<a[1..3]>", 1, "what stands between"),
        ("<a[3..1] sep(,)>", 3, "smaller bound first"),
        ("<a[x]>", 3, "two whole numbers"),
        ("<ch[1..2] sep(,)> <ch2>", 19, "used twice"),
        ("<* x>", 4, "how many characters"),
        ("<a decimal(,)>,<b>", 15, "takes “,” too"),
        ("<a>.<b>", 4, "takes “.” too"),
        ("<a>E5", 4, "takes “E” too"),
        ("<a:hex>F", 8, "takes these digits too"),
        ("<a:bits><b:bits>", 9, "touch"),
        ("<? <a>?> <b>", 1, "begins like what follows"),
        ("<?<a:text>?>;", 1, "begins like what follows"),
        ("A<??>", 2, "is empty"),
        ("A<?B", 2, "“<?” is never closed"),
        ("<a:text><?;x?>", 9, "touch"),
        (r"<a>\x4", 4, "two hexadecimal digits"),
    ],
)
def test_slips_are_named_with_their_column_and_what_to_do(source: str, column: int, words: str) -> None:
    with pytest.raises(PatternError) as caught:
        compile_pattern(source)
    assert words in str(caught.value)
    assert caught.value.column == column


@pytest.mark.parametrize(
    ("source", "given_values", "sent"),
    [
        ("VP <opening:number 5.1>", {"opening": 60.0}, b"VP 060.0"),
        ("VP <opening:number 5.1>", {"opening": -5.25}, b"VP -05.2"),
        ("SV <v>\\r", {"v": 12.5}, b"SV 12.5\r"),
        ("SV <v>", {"v": 60.0}, b"SV 60"),
        ("N<n:int 3>", {"n": 7.0}, b"N007"),
        ("M<m:hex 4>", {"m": 255.0}, b"M00FF"),
        ("P=<p decimal(,)>", {"p": 3.25}, b"P=3,25"),
        ("UN=<u:choice(LPM|M3H)>", {"u": "LPM"}, b"UN=LPM"),
        ("A<?;B=<b>?>", {}, b"A"),
        ("A<?;B=<b>?>", {"b": 1.0}, b"A;B=1"),
        ("<name:text 6>!", {"name": "ab"}, b"ab    !"),
        ("SET <t:datetime(DD.MM.YYYY hh:mm:ss)>", {"t": 1795655000.5}, b"SET 26.11.2026 01:03:20"),
        ("<t:datetime>", {"t": 1795655000.5}, b"2026-11-26T01:03:20.500Z"),
    ],
)
def test_the_same_notation_writes(source: str, given_values: dict[str, float | str], sent: bytes) -> None:
    assert compile_pattern(source).write(given_values) == sent


@pytest.mark.parametrize(
    ("source", "given_values", "words"),
    [
        ("<v 4.1>", {"v": 1000.0}, "too long"),
        ("<v>", {}, "no value for v"),
        ("<v>", {"v": math.nan}, "wants a number"),
        ("<v:int>", {"v": 1.5}, "whole number"),
        ("<v:hex>", {"v": -1.0}, "below zero"),
        ("<v 3>", {"v": 1.5}, "has no decimals"),
        ("<u:choice(A|B)>", {"u": "C"}, "none of them"),
        ("<u:word>", {"u": "a b"}, "one word"),
        ("<t:text>;", {"t": "a;b"}, "ends at"),
        ("<t:text>", {"t": "°"}, "cannot be sent"),
        ("a<*>", {}, "nothing says what to send"),
    ],
)
def test_what_cannot_be_written_is_said(
    source: str, given_values: dict[str, float | str], words: str
) -> None:
    with pytest.raises(ValueError, match=words):
        compile_pattern(source).write(given_values)


FIELDS = st.sampled_from(
    ["<N>", "<N:int>", "<N 5.2>", "<N:hex 4>", "<N:bits>", "<N:word>", "<N:text>", "<N:choice(A|AB|Ü)>",
     "<N decimal(,)>", "<N over(OL|9.9E37) none(--) flagged(~)>", "<N:datetime>", "<N:datetime(hh:mm:ss.f)>", "<*>", "<* 2>", "<N[1..3] sep(,)>"]
)  # fmt: skip
LITERALS = st.sampled_from(["", " ", ",", ";", "A=", "OL", "E5", ".", "-", " B", "\\r"])


@st.composite
def sources(draw: st.DrawFn) -> str:
    parts = []
    for number in range(draw(st.integers(1, 4))):
        part = draw(LITERALS) + draw(FIELDS).replace("N", f"f{number}", 1)
        parts.append(f"<?{part}?>" if draw(st.integers(0, 4)) == 0 else part)
    return "".join(parts) + draw(LITERALS)


@given(sources(), st.lists(st.sampled_from(
    ["1", "-2.5", "0012", " ", ",", ";", "A", "AB", "=", "OL", "--", "~", "E5", ".", "\r", "Ü", "FF", "x"]
), max_size=9))  # fmt: skip
def test_any_pattern_reads_as_the_plain_walk_does(source: str, pieces: list[str]) -> None:
    try:
        pattern = compile_pattern(source, "latin-1")
    except PatternError:
        return
    message = "".join(pieces).encode("latin-1")
    assert repr(pattern.read(message)) == repr(walk(pattern.elements, message))


@given(st.floats(-999, 999), st.integers(0, 65535))
def test_what_was_written_reads_back(value: float, status: int) -> None:
    pattern = compile_pattern("A=<a 8.3>;B=<b>;S=<s:hex 4>")
    sent = pattern.write({"a": value, "b": value, "s": float(status)})
    got = pattern.read(sent)
    assert isinstance(got, dict)
    assert got["a"][1] == pytest.approx(value, abs=0.00051)
    assert got["b"][1] == value
    assert got["s"][1] == status


@pytest.mark.parametrize(
    ("sources", "why"),
    [
        (["<*>", "A=<a>"], "pattern 1 takes every message there is"),
        (["ERR <what:text>", "ERR <code:int>"], "pattern 1 takes every message that begins with “ERR”"),
        (["A=<a>", "A=<a>"], "it is the same as pattern 1"),
        (["A=<a>", "<*>"], ""),
        (["A<x:text>;", "AB=<a>"], ""),
    ],
)
def test_a_pattern_behind_one_that_takes_everything_is_refused(sources: list[str], why: str) -> None:
    shadows = Shadows()
    found = [one for n, s in enumerate(sources, 1) for one in shadows.of(f"pattern {n}", compile_pattern(s))]
    assert len(found) == bool(why)
    assert not why or why in found[0]
