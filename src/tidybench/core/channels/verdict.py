"""One verdict over all channels that have limits."""

from collections.abc import Iterable
from dataclasses import dataclass

from tidybench.core.channels.limits import LimitWatch
from tidybench.core.quality import Quality
from tidybench.core.values.crossing import CALLING, SERIOUS
from tidybench.core.values.verdict import Unknown, Verdict

WARMS_UP = "not judged yet: it warms up"


@dataclass(slots=True, frozen=True)
class Limited:
    """A channel with its watch. `patience`: microseconds without a sample after which nothing is known of it."""

    id: str
    name: str
    watch: LimitWatch
    patience: int


def unknown(one: Limited, now: int) -> Unknown | None:
    """Why nothing is known of a channel at `now`; None where its newest value counts."""
    watch = one.watch
    why: tuple[str, int] | None = None
    if watch.heard_at == 0:
        why = "no sample yet", 0
    elif watch.quality > Quality.FLAGGED:
        why = Quality(watch.quality).words, watch.unmeasured_since
    elif now - watch.heard_at > one.patience:
        why = "no sample", watch.heard_at
    elif watch.state == "starting":
        why = WARMS_UP, watch.since
    return (
        Unknown(id=one.id, number=watch.channel, name=one.name, words=why[0], since=why[1])
        if why is not None
        else None
    )


def judge(channels: Iterable[Limited], now: int) -> Verdict:
    """How they stand at `now`; those without limits are left out."""
    verdict = Verdict()
    for one in channels:
        if not one.watch.limits.any:
            continue
        verdict.limited += 1
        missing = unknown(one, now)
        if missing is not None:
            verdict.unknown.append(missing)
        elif one.watch.state in SERIOUS:
            verdict.beyond.append(one.name)
        elif one.watch.state in CALLING:
            verdict.cautions.append(one.name)
    if verdict.limited:
        verdict.state = "beyond" if verdict.beyond else "not all known" if verdict.unknown else "within"
    return verdict
