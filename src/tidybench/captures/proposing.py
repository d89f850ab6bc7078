"""A set-up proposed from a capture."""

from tidybench.captures.capture import Capture, CaptureError
from tidybench.core.setup import UNCHOSEN
from tidybench.core.tape.events import Received, Sent
from tidybench.core.teaching.drafting import Draft, Exchanged, draft
from tidybench.core.teaching.question import Answers, Question


def proposed_setup(capture: Capture, link: str = "", answers: Answers | None = None) -> Draft:
    """A set-up with its reasons, questions, or what is needed first. Raises CaptureError."""
    if not capture.has_times:
        return draft([Exchanged(b"", [(0, capture.data)])], {"port": UNCHOSEN}, "Proposed", answers)
    links = capture.links
    if link and link not in links:
        raise CaptureError(f"There is no link {link} on this tape; it has {', '.join(links) or 'nothing'}.")
    if len(links) > 1 and not link:
        raise CaptureError(f"This tape has several links: {', '.join(links)}. Choose one with --link.")
    chosen = link or (links[0] if links else "")
    talk = [Exchanged(b"", [])]
    for event in capture.of(chosen):
        if isinstance(event, Sent):
            talk.append(Exchanged(event.data, []))
        elif isinstance(event, Received):
            talk[-1].pieces.append((event.at, event.data))
    serial = "://" not in chosen or chosen.startswith("rfc2217://")
    return draft(talk, {"port": chosen if serial and chosen else UNCHOSEN}, "Proposed", answers)


def as_comments(questions: list[Question]) -> str:
    """Questions as comments of TOML, with what to write to answer them."""
    lines = [
        "# Nothing is proposed yet: two readings remain. Answer with --answer, once for each question.",
        "#",
    ]
    for question in questions:
        lines.append(f"# {question.words}")
        for choice in question.choices:
            lines.append(f"#   --answer '{question.key}={choice.key}'   {choice.words}")
            lines += [f"#       {shown}" for shown in choice.shown]
        lines.append("#")
    return "\n".join(lines) + "\n"


def parsed_answers(texts: list[str]) -> dict[str, str]:
    """Answers as they are written on the command line; raises CaptureError."""
    found: dict[str, str] = {}
    for text in texts:
        key, equals, choice = text.rpartition("=")
        if not equals or not key:
            raise CaptureError(
                f"“{text}” is no answer: write --answer 'QUESTION=CHOICE', as --propose shows it."
            )
        found[key] = choice
    return found
