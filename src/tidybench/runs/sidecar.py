"""The sidecar of a run's CSV: W3C CSV on the Web metadata."""

import json
from datetime import datetime

from tidybench.runs.cells import safe_text
from tidybench.runs.columns import columns_of
from tidybench.runs.run_state import RunState


def metadata(state: RunState, name: str) -> str:
    """The sidecar: W3C CSV on the Web metadata (Tabular Data Model, 2015) of the file `name` of the run's CSV."""
    units = {"ms": "schema:unitText"}
    columns: list[dict[str, object]] = [
        {"name": "time", "titles": "time", "datatype": "dateTimeStamp", "required": True},
        {"name": "elapsed_s", "titles": "elapsed_s", "datatype": "double", units["ms"]: "s"},
    ]
    for column in columns_of(state.channels, state.row_rule):
        channel = column.channel
        figures = column.value != "latest" or not (channel.clock or channel.states)
        columns.append(
            {
                "name": column.name,
                "titles": safe_text(column.title),
                "datatype": "double" if figures else "dateTimeStamp" if channel.clock else "string",
                **({"schema:unitText": "s" if column.value == "age" else channel.unit} if figures else {}),
                "schema:measurementTechnique": channel.instrument_name,
                "dc:description": channel.scaling,
                **({"schema:measurementMethod": certificate} if (certificate := channel.certificate) else {}),
            }
        )
    columns.append({"name": "flags", "titles": "flags", "datatype": "string"})
    zone = datetime.fromtimestamp(state.begun_at // 1_000_000).astimezone()
    table = {
        "@context": ["http://www.w3.org/ns/csvw", {"@language": "en"}],
        "url": name,
        "dc:title": state.name,
        "dc:creator": state.operator,
        "dc:subject": state.item,
        "dc:identifier": state.id,
        "dc:description": f"Row rule: {state.row_rule.words}. Time zone at the beginning: {zone.strftime('%z')} {zone.tzname()}.",
        "dialect": {"encoding": "utf-8", "lineTerminators": ["\r\n"], "header": True, "quoteChar": '"'},
        "tableSchema": {"columns": columns},
    }
    return json.dumps(table, indent=1, ensure_ascii=False)
