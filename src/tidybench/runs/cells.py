"""Text cells of CSV files (RFC 4180), formulas neutralised."""

_FORMULA = ("=", "+", "-", "@", "\t", "\r")


def safe_text(text: str) -> str:
    """A CSV cell's text that no spreadsheet runs as a formula: an apostrophe stands before it. One that looks as if it had
    one gets another, so that taking off one always gives the text."""
    return "'" + text if (rest := text.lstrip("'")) and rest[0] in _FORMULA else text


def csv_cell(text: str) -> str:
    """A text cell as RFC 4180 wants it, formulas neutralised."""
    text = safe_text(text)
    return '"' + text.replace('"', '""') + '"' if any(c in text for c in ',"\r\n') else text


def plain_text(cell: str) -> str:
    """A cell's text without the apostrophe that keeps spreadsheets from running it."""
    rest = cell.lstrip("'")
    return cell[1:] if cell[:1] == "'" and rest and rest[0] in _FORMULA else cell
