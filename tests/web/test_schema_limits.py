"""What a request may hold has limits, and the schema tells them: a client knows before it sends."""

import json
from pathlib import Path
from typing import Any

SCHEMA = json.loads((Path(__file__).resolve().parents[2] / "frontend/openapi.json").read_text("utf-8"))
BOUNDED_TEXT = {"maxLength", "enum", "const", "pattern", "format"}


def unbounded(schema: dict[str, Any], where: str, seen: set[str]) -> list[str]:
    """Places below `where` at which something of any size would fit."""
    if "$ref" in schema:
        name = schema["$ref"].split("/")[-1]
        if name in seen:
            return []
        seen.add(name)
        return unbounded(SCHEMA["components"]["schemas"][name], name, seen)
    found = []
    for word in ("anyOf", "oneOf", "allOf"):
        for one in schema.get(word, []):
            found += unbounded(one, where, seen)
    for name, one in schema.get("properties", {}).items():
        found += unbounded(one, f"{where}.{name}", seen)
    kind = schema.get("type")
    if kind == "string" and not BOUNDED_TEXT & set(schema):
        found.append(where)
    limits = [{"minimum", "exclusiveMinimum"}, {"maximum", "exclusiveMaximum"}]
    counted = kind in ("integer", "number") and not {"enum", "const"} & set(schema)
    if counted and not all(words & set(schema) for words in limits):
        found.append(where)
    if kind == "array":
        found += [] if "maxItems" in schema else [where]
        found += unbounded(schema.get("items", {}), f"{where}[]", seen)
    return found


def test_everything_that_is_sent_has_limits_in_the_schema() -> None:
    """Fault 42: limits in the schema."""
    seen: set[str] = set()
    found, looked_at = [], 0
    for path, operations in SCHEMA["paths"].items():
        for method, operation in operations.items():
            given = [p["schema"] for p in operation.get("parameters", [])]
            given += [c["schema"] for c in operation.get("requestBody", {}).get("content", {}).values()]
            looked_at += len(given)
            for one in given:
                found += unbounded(one, f"{method} {path}", seen)
    assert looked_at > 60
    assert found == []
