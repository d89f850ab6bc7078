"""Errors of the pages themselves, into the web server's log: nobody else would hear of them."""

import logging
import time
from typing import Annotated

from fastapi import APIRouter
from pydantic import BaseModel, Field

from tidybench.web.refusals import REFUSALS

logger = logging.getLogger(__name__)

MAX_PER_MINUTE = 30
"""Errors of pages that are logged in a minute; a page that fails at every draw must not fill the disk."""


class PageError(BaseModel):
    """What went wrong in a browser: in which part of the page, where the page was, and the stack."""

    message: Annotated[str, Field(max_length=2000)]
    where: Annotated[str, Field(max_length=400)] = ""
    stack: Annotated[str, Field(max_length=8000)] = ""


router = APIRouter(prefix="/api", responses=REFUSALS)
_minute = [0.0, 0.0]  # when it began, how many came


@router.post("/health/page-errors", status_code=204)
def page_error(body: PageError) -> None:
    """Put an error of a page into the log."""
    now = time.monotonic()
    if now - _minute[0] > 60:
        _minute[:] = [now, 0]
    _minute[1] += 1
    if _minute[1] <= MAX_PER_MINUTE:
        logger.error("a page failed (%s): %s\n%s", body.where, body.message, body.stack)
