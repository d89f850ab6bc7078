"""What all pages that print have in common: their templates, and how they write times and numbers."""

from datetime import datetime, tzinfo

from jinja2 import Environment, PackageLoader, StrictUndefined

from tidybench.core.analysis.answer import said


def pages(zone: tzinfo) -> Environment:
    """The templates, with filters that write times by this zone."""
    environment = Environment(
        loader=PackageLoader("tidybench.report", "templates"), autoescape=True, undefined=StrictUndefined,
        trim_blocks=True, lstrip_blocks=True,
    )  # fmt: skip
    environment.filters |= {
        "moment": lambda at: moment(at, zone),
        "clock": lambda at: clock(at, zone),
        "lasting": seconds,
        "figure": figure,
        "said": said,
        "count": count,
    }
    return environment


def own_zone() -> tzinfo:
    """The computer's."""
    from tzlocal import get_localzone  # takes its time to come

    zone: tzinfo = get_localzone()
    return zone


def figure(value: float | None, decimals: int) -> str:
    """With so many decimals and a real minus sign; a dash for none."""
    if value is None:
        return "–"
    text = f"{value:.{decimals}f}"
    return text.lstrip("-") if float(text) == 0 else text.replace("-", "−")


def count(number: int) -> str:
    """Thousands apart."""
    return f"{number:,}".replace(",", "\u202f")


def seconds(length: float) -> str:
    """A length of time in words."""
    if length < 60:
        return f"{length:.3g} s"
    whole = round(length)
    if whole < 3600:
        return f"{whole // 60} min {whole % 60:02d} s"
    if whole < 86_400:
        return f"{whole // 3600} h {whole % 3600 // 60:02d} min"
    return f"{whole // 86_400} d {whole % 86_400 // 3600} h"


def moment(at: int, zone: tzinfo) -> str:
    """Date and time to the second, of microseconds since 1970 UTC."""
    return datetime.fromtimestamp(at // 1_000_000, zone).strftime("%Y-%m-%d %H:%M:%S")


def clock(at: int, zone: tzinfo) -> str:
    """The same to the millisecond."""
    local = datetime.fromtimestamp(at / 1e6, zone)
    return f"{local:%Y-%m-%d %H:%M:%S}.{local.microsecond // 1000:03d}"


def offsets(start: int, end: int, zone: tzinfo) -> str:
    """The offset of times in a stretch, or both where it changed meanwhile."""
    found = [datetime.fromtimestamp(at / 1e6, zone).strftime("%z") for at in (start, end)]
    return ", then ".join(f"UTC{one[:3]}:{one[3:5]}" for one in dict.fromkeys(found))
