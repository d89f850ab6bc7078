"""`./tidy report RUN`: a run as one page that prints."""

import sys
from pathlib import Path

from tidybench.report.run_report import ReportError, report
from tidybench.verify import found


def run(name: str, output: Path | None) -> int:
    """Write the report of a run, beside nothing else; gives the exit code."""
    try:
        folder = found(name)
        page = report(folder)
    except (ReportError, OSError, ValueError) as error:
        why = error.strerror if isinstance(error, OSError) and error.strerror else str(error)
        print(f"{name}: {why}", file=sys.stderr)
        return 1
    path = output if output is not None else Path(f"{folder.name}.report.html")
    try:
        path.write_text(page, "utf-8")
    except OSError as error:
        print(f"The report cannot be written to {path}: {error.strerror}.", file=sys.stderr)
        return 1
    print(path)
    return 0
