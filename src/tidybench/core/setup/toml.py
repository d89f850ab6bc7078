"""Set-ups as TOML, and every slip in them as a sentence."""

import tomllib
from typing import Any

from pydantic import ValidationError

from tidybench.core.setup.link import LINK_TAGS
from tidybench.core.setup.readers import READER_TAGS
from tidybench.core.setup.setup import Setup


class SetupError(ValueError):
    """A set-up that cannot be used; `problems` has one sentence for each thing that is wrong."""

    def __init__(self, problems: list[str]) -> None:
        self.problems = problems
        super().__init__("\n".join(problems))


def toml_data(text: str) -> dict[str, Any]:
    """Plain data of a TOML text. Raises SetupError."""
    try:
        return tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise SetupError([f"This is not TOML: {error}."]) from None
    except RecursionError:
        raise SetupError([TOO_DEEP]) from None


TOO_DEEP = "Brackets stand within brackets, hundreds deep. Write it with fewer."


def parsed(data: dict[str, Any], text: str = "") -> Setup:
    """A set-up from plain data, its parts checked one by one; raises SetupError. With the TOML text, sentences name its
    lines."""
    try:
        return Setup.model_validate(data)
    except ValidationError as error:
        raise SetupError([line for one in error.errors() for line in sentences(one, text)]) from None


def schema() -> dict[str, Any]:
    """The JSON Schema of a set-up."""
    return Setup.model_json_schema()


def sentences(error: Any, text: str, page: str = "set-ups") -> list[str]:
    """What pydantic found wrong, as sentences for a person. `page`: the one of docs/formats that describes the document."""
    path = [part for part in error["loc"] if not isinstance(part, dict)]
    if len(path) > 1 and path[0] == "link" and path[1] in LINK_TAGS:
        del path[1]
    path = [part for n, part in enumerate(path) if not (n and path[n - 1] == "to" and n + 1 < len(path))]
    path = [
        part for n, part in enumerate(path) if not (part in READER_TAGS and n and path[n - 1] == "reader")
    ]
    # Which kind of step it is stands in the path too; a person sees it in the text.
    path = [part for n, part in enumerate(path) if not (n > 1 and path[n - 2] in ("scaling", "filter"))]
    where = ".".join(str(part + 1) if isinstance(part, int) else str(part) for part in path)
    kind, message = error["type"], str(error["msg"])
    if kind == "value_error":
        lines = message.removeprefix("Value error, ").split("\n")
        lines = [line.rstrip(".") for line in lines]
        return [f"{where}: {line}." if where else f"{line}." for line in lines]
    line = _line_of(str(path[-1]), text) if path and isinstance(path[-1], str) else 0
    place = f"Line {line}, {where}" if line else where
    if kind == "extra_forbidden":
        return [f"{place}: there is no such key. Check its spelling against docs/formats/{page}.md."]
    if kind == "union_tag_invalid":
        context = error["ctx"]
        return [f"{where}: kind = “{context['tag']}” is not possible here; {context['expected_tags']} are."]
    if kind == "missing":
        return [f"{where}: this key is missing."]
    if kind == "literal_error":
        return [
            f"{place}: {error['input']!r} is not possible here; {message.removeprefix('Input should be ')} is."
        ]
    if kind == "string_pattern_mismatch" and path and path[-1] == "id":
        return [
            f"{place}: {error['input']!r} cannot be an id: small letters, digits, dots and dashes, at most 64."
        ]
    return [f"{place}: {message[0].lower()}{message[1:]} ({error['input']!r} was given)."]


def _line_of(key: str, text: str) -> int:
    """The line a key first stands on, 0 where it cannot be told apart."""
    lines = [n for n, line in enumerate(text.splitlines(), 1) if line.split("=")[0].strip(" []") == key]
    return lines[0] if len(lines) == 1 else 0
