"""What a link has seen, for the reading path."""

from dataclasses import dataclass


@dataclass(slots=True)
class LinkCounts:
    """What a link has seen since it was opened, for the reading path."""

    bytes_in: int = 0
    bytes_out: int = 0
    unprintable: int = 0
    messages: int = 0
    stray: int = 0
    overlong: int = 0
    polls: int = 0
    gave_up: int = 0
    late: int = 0
    doubted: int = 0  # answers withheld because they may be another query's
    missed: int = 0
    echoes: int = 0
    unasked: int = 0
    withheld: int = 0
    doubled: int = 0
    recent_doubles: int = 0  # of the last messages, a bit each: 1 came twice
    last_doubled: int = 0
    opened_at: int = 0
    last_in: int = 0
    last_message: int = 0
    last_gave_up: int = 0
    last_missed: int = 0
    last_echo: int = 0
    last_unasked: int = 0
    answer_time: int = 0
    worst_late: int = 0
    silent_polls: int = 0  # given up in a row
    recent: bytes = b""
