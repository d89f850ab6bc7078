"""The states of an exchange, and what leads from one to the next.

A link is half duplex: at any time at most one thing is in the air, and whatever comes belongs to it. What that is, is a
state; it changes by what happens and by nothing else. All that may happen on a link stands in one table, `TRANSITIONS`; what
does not stand in it cannot happen, and `Exchange.turn` raises ExchangeError.

The states:

- IDLE: nothing is in the air. What comes was not asked for (or an instrument talks by itself).
- ARMED: a trigger has gone out; its query follows. What comes is the trigger's own answer.
- ASKED: a query has gone out, and nothing of its answer is read yet.
- DOUBTED: a query has gone out while the answer to another one may still come (`debts`).
- GATHERING: some messages of an answer have come; it is not whole.
- DRAINING: a poll was given up, or what came in doubt was withheld. What comes is a late answer, and nobody's reading.
- COMMANDED: a command has gone out. What comes is its answer.
- PARTING: release commands go out while a reply is still awaited: it counts if it comes, all else is theirs.

```
          ARM           ASK               MESSAGE
   IDLE ------> ARMED ------> ASKED ----------------> GATHERING
    | ^                        |  |                     |  |
    | |          WHOLE         |  |        WHOLE        |  |
    | +------------------------+--|---------------------+  |
    | |                           |                        |
    | |  QUIET               GIVE_UP                  GIVE_UP
    | +------------ DRAINING <----+------------------------+
    |
    | COMMAND             QUIET
    +---------> COMMANDED ------> IDLE
    |
    | DOUBT               SURE
    +---------> DOUBTED --------> ASKED         WITHHOLD, GIVE_UP: to DRAINING
```

OPEN and LOSE lead to IDLE from everywhere: whatever was in the air is void.
"""

from enum import Enum, auto


class State(Enum):
    """What is in the air."""

    __hash__ = object.__hash__  # looked up with every message: not by its name

    IDLE = auto()
    ARMED = auto()
    ASKED = auto()
    DOUBTED = auto()
    GATHERING = auto()
    DRAINING = auto()
    COMMANDED = auto()
    PARTING = auto()


class Turn(Enum):
    """What changes it."""

    __hash__ = object.__hash__

    ARM = auto()  # a trigger was sent
    ASK = auto()  # a query was sent
    DOUBT = auto()  # a query was sent, and the answer to another one may still come
    SURE = auto()  # no other answer can come any more, or what came can be no other's
    WITHHOLD = auto()  # what came may be the answer to another query
    MESSAGE = auto()  # a message of the answer came, and it is not whole
    WHOLE = auto()  # the answer is whole
    GIVE_UP = auto()  # no whole answer came in time
    QUIET = auto()  # the link has been silent long enough
    COMMAND = auto()  # a command was sent
    OPEN = auto()  # the port was opened
    LOSE = auto()  # the link was lost, or given up


class ExchangeError(ValueError):
    """Something happened that cannot happen in this state: a fault of ours, or a tape whose lines were rearranged."""


_ALWAYS = {Turn.OPEN: State.IDLE, Turn.LOSE: State.IDLE}

TRANSITIONS: dict[State, dict[Turn, State]] = {
    State.IDLE: {
        **_ALWAYS,
        Turn.ARM: State.ARMED,
        Turn.ASK: State.ASKED,
        Turn.DOUBT: State.DOUBTED,
        Turn.COMMAND: State.COMMANDED,
        # A tape that goes on with a later segment may begin between a poll and its end.
        Turn.QUIET: State.IDLE,
    },
    State.ARMED: {
        **_ALWAYS,
        Turn.ASK: State.ASKED,
        Turn.DOUBT: State.DOUBTED,
        Turn.COMMAND: State.COMMANDED,
    },
    State.ASKED: {
        **_ALWAYS,
        Turn.MESSAGE: State.GATHERING,
        Turn.WHOLE: State.IDLE,
        Turn.GIVE_UP: State.DRAINING,
        Turn.COMMAND: State.PARTING,
    },
    State.DOUBTED: {
        **_ALWAYS,
        Turn.SURE: State.ASKED,
        Turn.WITHHOLD: State.DRAINING,
        Turn.GIVE_UP: State.DRAINING,
        Turn.COMMAND: State.COMMANDED,  # release commands: its answer would be withheld anyway
    },
    State.GATHERING: {
        **_ALWAYS,
        Turn.MESSAGE: State.GATHERING,
        Turn.WHOLE: State.IDLE,
        Turn.GIVE_UP: State.DRAINING,
        Turn.COMMAND: State.PARTING,
    },
    State.DRAINING: {**_ALWAYS, Turn.QUIET: State.IDLE, Turn.COMMAND: State.COMMANDED},
    State.COMMANDED: {
        **_ALWAYS,
        Turn.QUIET: State.IDLE,
        Turn.COMMAND: State.COMMANDED,
        # On tapes before 2026-11-25 a trigger looks like a command.
        Turn.ASK: State.ASKED,
    },
    State.PARTING: {
        **_ALWAYS,
        Turn.MESSAGE: State.PARTING,
        Turn.WHOLE: State.COMMANDED,
        Turn.COMMAND: State.PARTING,
    },
}

AWAITING = frozenset({State.ASKED, State.DOUBTED, State.GATHERING, State.PARTING})
"""A reply is awaited: messages that come are its."""

ANSWERING = frozenset({State.ARMED, State.COMMANDED})
"""What comes answers a trigger or a command."""
