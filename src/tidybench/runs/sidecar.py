"""The sidecar of a run's CSV: W3C CSV on the Web metadata."""

import json
import re
from datetime import datetime

from tidybench.runs.cells import safe_text
from tidybench.runs.run_state import RunState


def metadata(state: RunState) -> str:
    """The sidecar: W3C CSV on the Web metadata (Tabular Data Model, 2015) of the run's CSV."""
    units = {"ms": "schema:unitText"}
    columns: list[dict[str, object]] = [
        {"name": "time", "titles": "time", "datatype": "dateTimeStamp", "required": True},
        {"name": "elapsed_s", "titles": "elapsed_s", "datatype": "double", units["ms"]: "s"},
    ]
    for channel in state.channels:
        columns.append(
            {
                "name": re.sub(r"[^A-Za-z0-9_]", "_", channel.id),
                "titles": safe_text(channel.title),
                "datatype": "dateTimeStamp" if channel.clock else "string" if channel.states else "double",
                **({} if channel.clock or channel.states else {"schema:unitText": channel.unit}),
                "schema:measurementTechnique": channel.instrument_name,
                "dc:description": channel.scaling,
                **({"schema:measurementMethod": certificate} if (certificate := channel.certificate) else {}),
            }
        )
    columns.append({"name": "flags", "titles": "flags", "datatype": "string"})
    zone = datetime.fromtimestamp(state.begun_at // 1_000_000).astimezone()
    table = {
        "@context": ["http://www.w3.org/ns/csvw", {"@language": "en"}],
        "url": state.csv,
        "dc:title": state.name,
        "dc:creator": state.operator,
        "dc:subject": state.item,
        "dc:identifier": state.id,
        "dc:description": f"Row rule: {state.row_rule}. Time zone at the beginning: {zone.strftime('%z')} {zone.tzname()}.",
        "dialect": {"encoding": "utf-8", "lineTerminators": ["\r\n"], "header": True, "quoteChar": '"'},
        "tableSchema": {"columns": columns},
    }
    return json.dumps(table, indent=1, ensure_ascii=False)
