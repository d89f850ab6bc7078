"""Text cells of CSV files (RFC 4180), formulas neutralised."""


def safe_text(text: str) -> str:
    """A CSV cell's text that no spreadsheet runs as a formula."""
    return "'" + text if text[:1] in ("=", "+", "-", "@", "\t", "\r") else text


def csv_cell(text: str) -> str:
    """A text cell as RFC 4180 wants it, formulas neutralised."""
    text = safe_text(text)
    return '"' + text.replace('"', '""') + '"' if any(c in text for c in ',"\r\n') else text


def plain_text(cell: str) -> str:
    """A cell's text without the apostrophe that keeps spreadsheets from running it."""
    return cell[1:] if cell[:1] == "'" and cell[1:2] in ("=", "+", "-", "@") else cell
