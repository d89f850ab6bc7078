"""What every route may answer instead."""

from pydantic import BaseModel


class Refusal(BaseModel):
    """Why something was not done."""

    detail: str


REFUSALS: dict[int | str, dict[str, object]] = {
    "default": {
        "model": Refusal,
        "description": "Refused (400, 404, 409, 503 or 507), and why in a sentence.",
    }
}
