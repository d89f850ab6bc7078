"""What gathers a curve from the messages of its instrument."""

from tidybench.core.curves.block_gatherer import BlockGatherer
from tidybench.core.curves.gatherer import CurveGatherer
from tidybench.core.setup.curves import CurvePart

Gatherer = CurveGatherer | BlockGatherer


def gatherer_of(instrument: str, part: CurvePart, encoding: str = "ascii") -> Gatherer:
    """That of a curve of a set-up. Raises ValueError with a sentence for what does not fit together."""
    kind = BlockGatherer if part.block is not None else CurveGatherer
    return kind(instrument, part, encoding)
