"""What is found when one looks round before a run begins."""

from typing import Literal

from tidybench.core.values.exact import Exact

Matter = Literal["paths", "calibrations", "disk", "clock", "sleep"]


class Finding(Exact):
    """`well`: nothing stands against beginning; `todo`: what to do where it is not. Nothing of it forbids."""

    matter: Matter
    well: bool
    words: str
    todo: str = ""
