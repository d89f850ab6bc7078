"""What happens by itself when a channel does something: one document for a bench."""

from typing import Annotated, Literal

from pydantic import Field, StrictBool, ValidationError, model_validator

from tidybench.core.setup.commands import Plain
from tidybench.core.setup.part import Identifier, Label, Part
from tidybench.core.setup.scaling import Finite
from tidybench.core.setup.toml import SetupError, sentences, toml_data

REACTIONS = "reactions"
"""The id the document goes by among the set-ups; no instrument may have it."""

Standing = Literal["below", "good", "above", "is", "not measured", "message"]
"""How a channel stands: beyond a level or between them, in one of the words it is watched for, not measured; or that it was measured
at all, where each message counts."""

Words = Annotated[str, Field(min_length=1, max_length=200, pattern=r"^[^\x00-\x1f\x7f]+$")]

MIN_APART = 0.1
"""Seconds that lie at least between two reactions to messages."""


class DoPart(Part):
    """One thing that is done when the channel comes to stand so: exactly one of a mark, a banner (with a sound), a command of an
    instrument, a procedure by its name, a run that begins, the run that ends."""

    when: Standing
    mark: Words | None = None
    banner: Words | None = None
    sound: StrictBool = False
    instrument: Identifier | None = None
    command: Identifier | None = None
    values: Annotated[dict[str, Plain], Field(max_length=20)] = {}
    procedure: Label | None = None
    begin_run: Annotated[str, Field(min_length=1, max_length=120, pattern=r"^[^\x00-\x1f\x7f]+$")] | None = (
        None
    )
    end_run: StrictBool = False

    @model_validator(mode="after")
    def _one_thing(self) -> "DoPart":
        if (self.instrument is None) != (self.command is None):
            raise ValueError("a command needs its instrument, and an instrument a command")
        things = [self.mark, self.banner, self.command, self.procedure, self.begin_run, self.end_run or None]
        if sum(one is not None for one in things) != 1:
            raise ValueError(
                "each [[reaction.do]] does one thing: mark, banner, command, procedure, begin_run or end_run"
            )
        if self.values and self.command is None:
            raise ValueError("values belong to a command")
        if self.sound and self.banner is None:
            raise ValueError("a sound belongs to a banner")
        return self

    @property
    def words(self) -> str:
        """What it does, as a person reads it."""
        if self.mark is not None:
            return f"mark “{self.mark}”"
        if self.banner is not None:
            return f"say “{self.banner}”{' with a sound' if self.sound else ''}"
        if self.command is not None:
            given = ", ".join(
                f"{name} {value if isinstance(value, str) else f'{value:.12g}'}"
                for name, value in self.values.items()
            )
            return f"{self.instrument}.{self.command}{f' ({given})' if given else ''}"
        if self.procedure is not None:
            return f"the procedure “{self.procedure}”"
        return f"begin the run “{self.begin_run}”" if self.begin_run is not None else "end the run"


class ReactionPart(Part):
    """A channel is watched: against levels (`below`, `above`; `hysteresis` in its unit is the way back), for words of a channel of
    states (`words`), or each measurement counts as a message (`message`). How it stands must last `for_s` seconds from sample to
    sample; `not_measured_s`: without a good sample for so long it stands at “not measured”. Between two reactions lie `hold_off_s`
    seconds; what it missed meanwhile it makes up for. `once`: it is disarmed when it has reacted."""

    id: Identifier
    name: Label
    channel: Identifier
    below: Finite | None = None
    above: Finite | None = None
    hysteresis: Annotated[float, Field(ge=0, le=1e300, allow_inf_nan=False)] = 0.0
    words: Annotated[list[Label], Field(max_length=100)] = []
    message: StrictBool = False
    for_s: Annotated[float, Field(ge=0, le=86_400)] = 0.0
    not_measured_s: Annotated[float, Field(ge=0.1, le=86_400)] | None = None
    hold_off_s: Annotated[float, Field(ge=0, le=86_400)] = 0.0
    once: StrictBool = False
    do: Annotated[list[DoPart], Field(min_length=1, max_length=20)]

    @property
    def standings(self) -> list[Standing]:
        """How its channel can stand."""
        found: list[Standing] = []
        if self.below is not None:
            found.append("below")
        if self.below is not None or self.above is not None or self.words:
            found.append("good")
        if self.above is not None:
            found.append("above")
        if self.words:
            found.append("is")
        if self.message:
            found.append("message")
        if self.not_measured_s is not None:
            found.append("not measured")
        return found

    @model_validator(mode="after")
    def _whole(self) -> "ReactionPart":
        levels = self.below is not None or self.above is not None
        if levels + bool(self.words) + self.message > 1:
            raise ValueError(f"{self.name}: give levels (below, above), words, or message: one of them")
        if not self.standings:
            raise ValueError(
                f"{self.name}: say what it watches for: below, above, words, message or not_measured_s"
            )
        if self.below is not None and self.above is not None and self.below + self.hysteresis > self.above - self.hysteresis:  # fmt: skip
            raise ValueError(
                f"{self.name}: nothing would be good between {self.below:g} and {self.above:g} with this hysteresis"
            )
        if self.message and self.hold_off_s < MIN_APART:
            raise ValueError(
                f"{self.name}: reactions to messages need a hold_off_s of at least {MIN_APART:g}"
            )
        for one in self.do:
            if one.when not in self.standings:
                can = " or ".join(f"“{each}”" for each in self.standings)
                raise ValueError(f"{self.name}: it never stands at “{one.when}”: it can be {can}")
        return self

    def done_when(self, standing: str) -> list[DoPart]:
        """What is done when the channel comes to stand so."""
        return [one for one in self.do if one.when == standing]


class Reactions(Part):
    """All reactions of a bench."""

    format: Literal[1] = 1
    reaction: Annotated[list[ReactionPart], Field(max_length=200)] = []

    @model_validator(mode="after")
    def _ids(self) -> "Reactions":
        for what, all_of in (
            ("id", [one.id for one in self.reaction]),
            ("name", [one.name for one in self.reaction]),
        ):
            twice = sorted({one for one in all_of if all_of.count(one) > 1})
            if twice:
                raise ValueError(f"the {what} “{twice[0]}” is used twice")
        return self

    @property
    def procedures(self) -> list[str]:
        """The names of the procedures that they carry out."""
        return sorted({do.procedure for one in self.reaction for do in one.do if do.procedure is not None})


def load_reactions(text: str) -> Reactions:
    """Read the document from TOML; raises SetupError with a sentence for each thing that is wrong.

    Whether channels and commands are there is not looked at here: what is wrong with one must not harm the others.
    """
    try:
        return Reactions.model_validate(toml_data(text))
    except ValidationError as error:
        raise SetupError(
            [line for one in error.errors() for line in sentences(one, text, "reactions")]
        ) from None
