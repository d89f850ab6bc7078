"""A set-up proposed from a capture."""

from tidybench.captures.capture import Capture, CaptureError
from tidybench.core.setup import UNCHOSEN
from tidybench.core.tape.events import Received, Sent
from tidybench.core.teaching.drafting import draft


def proposed_setup(capture: Capture, link: str = "") -> tuple[str, list[str]]:
    """TOML, and the reasons; "" where nothing could be made of it. Raises CaptureError."""
    if not capture.has_times:
        return draft([(b"", capture.data)], {"port": UNCHOSEN}, "Proposed")
    links = capture.links
    if link and link not in links:
        raise CaptureError(f"There is no link {link} on this tape; it has {', '.join(links) or 'nothing'}.")
    if len(links) > 1 and not link:
        raise CaptureError(f"This tape has several links: {', '.join(links)}. Choose one with --link.")
    chosen = link or (links[0] if links else "")
    talk: list[tuple[bytes, bytes]] = [(b"", b"")]
    for event in capture.of(chosen):
        if isinstance(event, Sent):
            talk.append((event.data, b""))
        elif isinstance(event, Received):
            sent, came = talk[-1]
            talk[-1] = sent, came + event.data
    serial = "://" not in chosen or chosen.startswith("rfc2217://")
    return draft(talk, {"port": chosen if serial and chosen else UNCHOSEN}, "Proposed")
