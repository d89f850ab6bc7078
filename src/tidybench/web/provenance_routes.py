"""From a sample of a run to its bytes."""

import uuid
from typing import Annotated

from fastapi import APIRouter, HTTPException, Query, Request

from tidybench.core.tape.lines import TapeError
from tidybench.runs.provenance import Provenance, ProvenanceError, explain
from tidybench.web.given import Moment
from tidybench.web.refusals import REFUSALS
from tidybench.web.run_routes import folder_of

router = APIRouter(prefix="/api/runs", responses=REFUSALS)


@router.get("/{key}/provenance")
def provenance(
    request: Request,
    key: uuid.UUID,
    channel: Annotated[str, Query(min_length=1, max_length=200)],
    moment: Annotated[Moment, Query()],
) -> Provenance:
    """How the newest sample of a channel that is not later than a moment came about: query, message, each step to its value."""
    folder, _ = folder_of(request, key)
    try:
        return explain(folder, channel, moment)
    except (ProvenanceError, TapeError) as error:
        raise HTTPException(409, str(error)) from None
    except (OSError, ValueError) as error:
        raise HTTPException(404, f"The run's folder cannot be read: {error}.") from error
