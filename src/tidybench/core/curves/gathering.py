"""What gathers a curve from the messages of its instrument."""

from typing import TYPE_CHECKING

from tidybench.core.curves.gatherer import CurveGatherer
from tidybench.core.setup.curves import CurvePart

if TYPE_CHECKING:
    from tidybench.core.curves.block_gatherer import BlockGatherer

    Gatherer = CurveGatherer | BlockGatherer
else:
    Gatherer = CurveGatherer


def gatherer_of(instrument: str, part: CurvePart, encoding: str = "ascii") -> "Gatherer":
    """That of a curve of a set-up. Raises ValueError with a sentence for what does not fit together."""
    if part.block is None:
        return CurveGatherer(instrument, part, encoding)
    # It needs numpy, which takes as long to come as a small capture to be read.
    from tidybench.core.curves.block_gatherer import BlockGatherer

    return BlockGatherer(instrument, part, encoding)
