"""Models that take `true` for no number."""

from functools import lru_cache
from types import UnionType
from typing import Annotated, Any, Literal, Union, get_args, get_origin

from pydantic import BaseModel, model_validator


class Exact(BaseModel):
    """A model whose numbers are numbers: in JSON and TOML `true` is none, and would be taken for 1."""

    @model_validator(mode="before")
    @classmethod
    def _no_truth_for_a_number(cls, data: Any) -> Any:
        if isinstance(data, dict):
            for name in _numeric(cls):
                if isinstance(data.get(name), bool):
                    raise ValueError(f"{name}: a number is wanted, not {str(data[name]).lower()}")
        return data


@lru_cache
def _numeric(model: type[BaseModel]) -> frozenset[str]:
    return frozenset(
        field.alias or name for name, field in model.model_fields.items() if _wants_a_number(field.annotation)
    )


def _wants_a_number(annotation: Any) -> bool:
    """Whether numbers fit, and truths do not."""
    kinds = _kinds(annotation)
    return bool(kinds & {int, float}) and not kinds & {bool, Any}


def _kinds(annotation: Any) -> set[Any]:
    origin = get_origin(annotation)
    if origin is Annotated:
        return _kinds(get_args(annotation)[0])
    if origin in (Union, UnionType):
        return set().union(*map(_kinds, get_args(annotation)))
    if origin is Literal:
        return {type(value) for value in get_args(annotation)}
    return {annotation}
