"""Whatever an instrument sends: a proposal reads back the numbers it meant, or there is none and it is said why."""

import re
from collections import Counter

import pytest

from tests.core.made_instruments import EVERY, Made, Numbers, Value, is_near, made_instrument, truth
from tidybench.core.batch import Batch
from tidybench.core.compile.load import load
from tidybench.core.compile.planning import plan_links
from tidybench.core.framing import make_check, make_framer
from tidybench.core.quality import Quality
from tidybench.core.setup import Setup
from tidybench.core.setup.channel import ChannelPart
from tidybench.core.teaching.drafting import Exchanged, draft
from tidybench.core.values.state_name import state_name

MESSAGES = 40
BEGUN = 1_795_655_000_000_000


def outcome(seed: int) -> tuple[str, str]:
    """Whether the proposal of this seed is right, wrong, or asked about; and what is wrong."""
    made = made_instrument(seed)
    data, numbers = made.data(MESSAGES)
    pieces = [(0, data)]
    if made.ticks:  # it is known when its messages came, a little late now and then
        late = [made.chance.choice([0, 0, 3_000, 40_000]) for _ in made.chunks]
        pieces = [(BEGUN + round(n * EVERY * 1e6) + late[n], one) for n, one in enumerate(made.chunks)]
    answers: dict[str, str] = {}
    for _ in range(5):
        got = draft([Exchanged(b"", pieces)], {"port": "none"}, "Made", answers)
        given = {one.key: truth(made, one) for one in got.questions}
        if not given or "" in given.values():
            break
        answers.update(given)
    if not got.text:
        return ("asked" if got.questions else "needs"), (got.needs or got.questions[0].words)
    setup = load(got.text)
    try:
        wrong = compared(setup, data, numbers, made) or afterwards(setup, made)
    except Exception as error:
        return "wrong", f"{error!r}"
    if wrong and one_unit_only(made, data):
        return "needs", "of a unit that changes only one came: nobody could know that it does"
    return ("wrong", f"{wrong}\n{got.text}\n{data[:200]!r}") if wrong else ("right", "")


def one_unit_only(made: Made, data: bytes) -> bool:
    """Whether a display that changes its unit never did so in the capture, and not to the unit that its numbers are told in."""
    for kind in made.kinds:
        for one in kind:
            if isinstance(one, Value) and one.ranges:
                came = {
                    u for u in one.ranges if re.search(rb"(?<![A-Za-z])%s(?![A-Za-z])" % u.encode(), data)
                }
                if len(came) == 1 and one.ranges[0] not in came:
                    return True
    return False


def _read(setup: Setup, bodies: list[bytes]) -> list[Numbers | None]:
    """The numbers of each message; None where it was not understood, or is bad."""
    [plan] = plan_links([setup], {channel.id: n for n, channel in enumerate(setup.channel)})
    [reader] = plan.readers.values()
    found: list[Numbers | None] = []
    for body in bodies:
        out = Batch()
        reader.read([body], [1], out)
        qualities = {Quality(word & 0xFF) for word in out.words}
        if qualities & {Quality.NOT_UNDERSTOOD, Quality.BAD_CHECK}:
            found.append(None)
        else:
            rows = sorted(zip(out.words, out.values, strict=True))
            read = [(setup.channel[w >> 8], v if Quality(w & 0xFF).measured else None) for w, v in rows]
            assert all(is_said(channel, value, body) for channel, value in read), (setup, body)
            found.append(tuple(v for channel, v in read if not channel.states and channel.clock is None))
    return found


def is_said(channel: ChannelPart, value: float | None, body: bytes) -> bool:
    """Whether a state, or a time of day, stands in the message in so many letters."""
    if value is not None and channel.states:
        word = state_name(channel.states, value)
        return word is not None and re.search(rb"(?<![A-Za-z])%s" % word.encode(), body) is not None
    if value is not None and channel.clock is not None and channel.clock.wraps_s is None:
        return re.search(rb"(?<!\d)%d;" % round(value / channel.scale), body) is not None or b":" in body
    if value is not None and channel.clock is not None:
        day = round(value) % 86_400
        return b"%02d:%02d:%02d" % (day // 3600, day // 60 % 60, day % 60) in body
    return True


def compared(setup: Setup, data: bytes, numbers: list[Numbers], made: Made) -> str:
    framer = make_framer(setup.framing, 0)
    framer.opened(0, whole=not made.cut)  # live, the first piece is dropped
    found = _read(setup, framer.feed(data, 1).bodies)
    if len(found) != len(numbers):
        return f"{len(found)} messages for {len(numbers)}"
    for place, (got, wanted) in enumerate(zip(found, numbers, strict=True)):
        if got is None and place in made.spoiled:
            continue
        if got is None or not is_near(got, wanted):
            return f"{got} for {wanted}"
    return ""


def afterwards(setup: Setup, made: Made) -> str:
    """Messages that come later are read right, or not at all."""
    sent = [made.message() for _ in range(60)]
    for got, (body, wanted) in zip(_read(setup, [body for body, _ in sent]), sent, strict=True):
        if got is not None and not is_near(got, wanted):
            return f"afterwards {got} for {wanted} in {body!r}"
    return ""


@pytest.mark.parametrize("block", range(4))
def test_no_proposal_is_wrong(block: int) -> None:
    found: Counter[str] = Counter()
    for seed in range(block * 100, block * 100 + 100):
        kind, why = outcome(seed)
        assert kind != "wrong", f"seed {seed}: {why}"
        found[kind] += 1
    assert found["right"] >= 40, found


def test_a_message_that_differs_is_not_read() -> None:
    """The comparison above is no proof of itself: what is read is read as proposed, and nothing else."""
    data = b"".join(b"T=%d.5\r\n" % n for n in range(20))
    setup = load(draft([Exchanged(b"", [(0, data)])], {"port": "none"}, "x").text)
    assert make_check(setup.framing) is None
    assert _read(setup, [b"T=1.5", b"T=x", b"U=1.5"]) == [(1.5,), None, None]
