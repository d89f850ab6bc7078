"""Row `calculated`: what 200 calculated channels at 10 Hz cost."""

import math
import time

from measure.result import Result
from tidybench.core.batch import Batch
from tidybench.core.channels.calculator import Calculator, Known
from tidybench.core.quality import Quality
from tidybench.core.setup.calculated import CalculatedPart

INPUTS, PARTS, RATE, SECONDS = 20, 200, 10, 60

KINDS = (
    ("({a} - {b}) / (998 [kg/m3] * 9.80665 [m/s2])", "m"),
    ("if({a} > 1 [bar], {a} / {b}, 0) * 100", ""),
    ("mean_over({a}, 10 [s]) - {b}", "bar"),
    ("rate({a}, 5 [s])", "bar/s"),
    ("sqrt({a} ^ 2 + {b} ^ 2)", "kPa"),
)


def calculated() -> Result:
    """A minute of twenty channels at 10 Hz and 200 expressions over them, beside the same reckoned by hand."""
    ids = [f"c{n}" for n in range(INPUTS)]
    known = [Known(n + 1, key, "bar", 1 / RATE) for n, key in enumerate(ids)]
    parts = []
    for n in range(PARTS):
        text, unit = KINDS[n % len(KINDS)]
        expression = text.format(a=ids[n % INPUTS], b=ids[(n * 7 + 1) % INPUTS])
        parts.append(CalculatedPart(id=f"p{n}", name="p", expression=expression, unit=unit))
    calculator = Calculator(parts, known, {part.id: INPUTS + 1 + n for n, part in enumerate(parts)})
    assert not [one.problem for one in calculator.all if one.problem]
    batches = []
    for tick in range(RATE * SECONDS):
        for n in range(INPUTS):
            batch = Batch()
            batch.add(n + 1, Quality.OK, tick * 1_000_000 // RATE + n, 5 + math.sin(tick / 20 + n))
            batches.append(batch)
    began = time.process_time()
    made = 0
    for batch in batches:
        found = calculator.feed(batch)
        made += len(found) if found is not None else 0
    cores = (time.process_time() - began) / SECONDS
    hand = _by_hand(batches) / SECONDS
    expected = PARTS * RATE * SECONDS
    return Result(
        "calculated",
        cores,
        "cores",
        "200 channels at 10 Hz in 0.1 cores",
        cores <= 0.1 and made == expected,
        {"by hand": hand},
        {"by hand": cores / hand},
        f"{made} samples made",
    )


def _by_hand(batches: list[Batch]) -> float:
    """Seconds that the first kind takes as a plain function, for as many values."""
    latest = dict.fromkeys(range(1, INPUTS + 1), 5.0)
    out = []
    began = time.process_time()
    for batch in batches:
        number = batch.words[0] >> 8
        latest[number] = batch.values[0]
        for n in range(PARTS // INPUTS):
            a, b = latest[number], latest[(n * 7 + number) % INPUTS + 1]
            out.append((batch.times[0], (a - b) * 1e5 / (998 * 9.80665)))
    return time.process_time() - began
