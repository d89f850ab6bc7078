"""The report of a comparison that was kept: one page that prints."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, tzinfo

from markupsafe import Markup

from tidybench import __version__
from tidybench.core.analysis.agreement import has_left
from tidybench.core.values.statistics import Statistics
from tidybench.report.page import offsets, own_zone, pages
from tidybench.report.trends import Axis, Drawn, Series, strip
from tidybench.runs.kept_comparisons import ComparedRun, KeptComparison
from tidybench.runs.run_channel import RunChannel


@dataclass(slots=True, frozen=True)
class ComparedLane:
    """A channel of the first run, and of each run that has it too what it was and came to, at the first one's times; None of those that have it not."""

    channel: RunChannel
    series: Sequence[Series | None]
    statistics: Sequence[Statistics | None]


@dataclass(slots=True, frozen=True)
class _Lane:
    name: str
    unit: str
    decimals: int
    places: list[int]
    statistics: Sequence[Statistics | None]
    drawing: Markup


@dataclass(slots=True, frozen=True)
class _Member:
    about: ComparedRun


def letter(place: int) -> str:
    """What a run of a comparison is called: A, B, C …"""
    return chr(65 + place)


def comparison_report(
    kept: KeptComparison, lanes: Sequence[ComparedLane], zone: tzinfo | None = None, at: int | None = None
) -> str:
    """One HTML page, whole in itself. `zone`: of its times, the computer's where none is given; `at`: when it is made, microseconds since 1970 UTC."""
    shown = zone if zone is not None else own_zone()
    made = datetime.fromtimestamp(at / 1e6, shown) if at is not None else datetime.now(shown)
    axis = Axis(kept.start, kept.end, shown)
    over = [Drawn(one.times, one.values, one.dots) for found in kept.answers for one in found.answer.overlays]
    drawn = []
    for lane in lanes:
        there = [(place, one) for place, one in enumerate(lane.series) if one is not None]
        beside = [one for place, one in there if place > 0]
        mine = over if lane.channel.id == kept.channel else []
        first = lane.series[0]
        assert first is not None
        drawn.append(
            _Lane(
                lane.channel.name,
                lane.channel.unit,
                lane.channel.decimals,
                [place for place, _ in there],
                lane.statistics,
                Markup(strip(lane.channel, first, axis, mine, beside, [place for place, _ in there])),
            )
        )
    name = next((one.channel.name for one in lanes if one.channel.id == kept.channel), kept.channel)
    others = len(kept.members) - 1
    title = f"{kept.members[0].name}, and {'one other' if others == 1 else f'{others} others'}"
    return (
        pages(shown)
        .get_template("comparison.html")
        .render(
            title=title,
            kept=kept,
            members=[_Member(one) for one in kept.members],
            lanes=drawn,
            channel_name=name,
            letter=letter,
            left=has_left,
            zone=offsets(kept.start, kept.end, shown),
            made=made.strftime("%Y-%m-%d %H:%M:%S %z"),
            version=__version__,
        )
    )
