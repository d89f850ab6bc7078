"""Destinations: kept, and how a message would look."""

from typing import Annotated

from fastapi import APIRouter, HTTPException, Request
from pydantic import BaseModel, Field

from tidybench.core.batch import Batch
from tidybench.core.compile.edit import document_with
from tidybench.core.forwarding.message_maker import MessageMaker, field_of
from tidybench.core.forwarding.register_image import STRIDE
from tidybench.core.setup import SetupError
from tidybench.core.setup.destinations import DestinationPart, Destinations, ToModbus, load_destinations
from tidybench.core.values.exact import Exact
from tidybench.web.context import answered
from tidybench.web.refusals import REFUSALS
from tidybench.wire.forwarding import ApplyForwarding, GetForwarding
from tidybench.wire.status import GetStatus

router = APIRouter(prefix="/api/forwarding", responses=REFUSALS)


class ForwardingForm(BaseModel):
    """The destinations: the document as TOML, and as data."""

    text: str
    destinations: Destinations


class ForwardingBody(Exact):
    """Destinations to keep. `was`: the document that they were changed from; where another was kept meanwhile, they are refused."""

    destinations: Destinations
    was: Annotated[str, Field(max_length=500_000)]


class MessageLook(BaseModel):
    """How a message of a destination would look, with 1.5 in each channel; `why` there can be none. `fields`: how its channels are called in a
    pattern. `registers`: where it is read by Modbus, the first register of each channel."""

    message: str
    why: str
    fields: dict[str, str]
    registers: dict[str, int]


@router.get("")
async def forwarding(request: Request) -> ForwardingForm:
    """The destinations that are in force."""
    text = (await answered(request, GetForwarding())).forwarding
    return ForwardingForm(text=text, destinations=load_destinations(text or "format = 1\n"))


@router.put("")
async def keep_forwarding(request: Request, body: ForwardingBody) -> ForwardingForm:
    """Have these in force from now on; those in which nothing has changed go on."""
    plain = body.destinations.model_dump(mode="json", exclude_defaults=True, exclude_none=True)
    for one in plain.get("destination", []):
        one["to"].setdefault("kind", "serial")
    try:
        text = document_with(body.was or "format = 1\n", {"destination": plain.get("destination", [])})
        load_destinations(text)
    except SetupError as error:
        raise HTTPException(400, str(error)) from None
    await answered(request, ApplyForwarding(text=text, was=body.was))
    return ForwardingForm(text=text, destinations=body.destinations)


@router.post("/look")
async def look_at_message(request: Request, part: DestinationPart) -> MessageLook:
    """How a message would look on this bench. Nothing is sent."""
    status = (await answered(request, GetStatus())).status
    assert status is not None
    channels = {one.id: one for one in status.channels}
    fields = {key: field_of(key) for key in part.channels}
    registers: dict[str, int] = {}
    if isinstance(part.to, ToModbus):
        registers = {key: STRIDE * (place + 1) for place, key in enumerate(part.channels)}
    try:
        maker = MessageMaker(part.model_copy(update={"every_s": 1.0}), channels)
    except ValueError as error:
        return MessageLook(message="", why=str(error), fields=fields, registers=registers)
    batch = Batch()
    for key in part.channels:
        batch.add(channels[key].number, 0, status.at, 0.0 if channels[key].states else 1.5)
    maker.take(batch)
    message = b"" if registers else maker.message(status.at) or b""
    return MessageLook(
        message=message.decode("latin-1" if part.pattern else "utf-8"),
        why="",
        fields=fields,
        registers=registers,
    )
