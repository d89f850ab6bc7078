"""Requests about reactions."""

import logging

from tidybench.core.setup.reactions import load_reactions
from tidybench.core.setup.toml import SetupError
from tidybench.recorder.reactor import Reactor
from tidybench.recorder.refused import RequestRefused, without_controls
from tidybench.recorder.state import StateFile
from tidybench.recorder.writer import Writer
from tidybench.wire.reactions import (
    ApplyReactions,
    ArmReaction,
    CarryOutReaction,
    GetReactions,
    KeptReactions,
    SeeReaction,
)

logger = logging.getLogger(__name__)

ReactionRequest = ApplyReactions | GetReactions | ArmReaction | SeeReaction | CarryOutReaction
REACTION_REQUESTS = (ApplyReactions, GetReactions, ArmReaction, SeeReaction, CarryOutReaction)


class ReactionDesk:
    """The service's alone."""

    def __init__(self, reactor: Reactor, state: StateFile, writer: Writer) -> None:
        self._reactor, self._state, self._writer = reactor, state, writer

    def carry_out(self, request: ReactionRequest) -> KeptReactions:
        """Do it; gives what is in force. Raises RequestRefused."""
        if isinstance(request, ApplyReactions):
            self._apply(request)
        elif isinstance(request, GetReactions):
            pass
        else:
            by = without_controls(request.by.strip(), "The name")
            if isinstance(request, ArmReaction):
                self._reactor.arm(request.reaction, request.on, by)
            elif isinstance(request, SeeReaction):
                self._reactor.see(request.reaction, by)
            else:
                self._reactor.carry_out(request.reaction, request.standing, by)
        return self._reactor.kept

    def _apply(self, request: ApplyReactions) -> None:
        kept, before = request.kept, self._reactor.kept
        if kept == before:
            return
        if request.was is not None and request.was != before.text:
            raise RequestRefused(
                "conflict",
                "Other reactions were kept meanwhile, by somebody else. Discard yours to see them.",
            )
        try:
            reactions = load_reactions(kept.text or "format = 1\n")
        except SetupError as error:
            raise RequestRefused("invalid", str(error)) from error
        try:
            self._state.remember(reactions=kept)
        except OSError as error:
            logger.exception("reactions cannot be remembered")
            raise RequestRefused(
                "disk", f"The reactions cannot be kept: {error.strerror}. Nothing was changed."
            ) from error
        self._reactor.put(kept, reactions)
        self._writer.mailbox.post(self._tell_the_run)

    def _tell_the_run(self) -> None:
        try:
            self._writer.run_in_progress.change_reactions()
        except OSError:
            logger.exception("the reactions could not be kept with the run")
