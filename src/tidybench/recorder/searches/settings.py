"""Working out the settings: first by listening, then, where a query was given, by asking."""

from tidybench.core.diagnosis.settings import Finding, Settings, best, judge, to_ask, to_listen
from tidybench.core.setup import SerialPart
from tidybench.recorder.searches.search import Search, SerialLine
from tidybench.wire.searches import SearchRow

PATIENCE = 2.5
"""Seconds within which an instrument that talks on its own says something."""

ENOUGH = 48
ANSWER = 0.6
"""Seconds an answer may take; asked at fifty settings, that is half a minute."""


class SettingsSearch(Search):
    """Tries the likely settings and scores what comes."""

    def search(self) -> None:
        line = self._open(self.part())
        try:
            self.sentence = f"Listening for {PATIENCE:g} s whether it says anything by itself …"
            findings: list[Finding] = []
            if self.collect(line, PATIENCE, 1):
                self._listen(line, findings)
            elif not self.stopped:
                self.rows.append(
                    SearchRow(what="listening", data="", score=0, words=f"nothing came in {PATIENCE:g} s")
                )
            if not any(f.convincing for f in findings) and self.request.query and not self.stopped:
                self._ask(line, findings)
            self._conclude(findings)
        finally:
            line.close()

    def _listen(self, line: SerialLine, findings: list[Finding]) -> None:
        tried = to_listen()
        for count, settings in enumerate(tried):
            if self.stopped:
                return
            self.sentence = f"It talks by itself. Listening at {settings.short} …"
            line.configure(self._part_at(settings))
            self.drain(line)
            finding = judge(settings, self.collect(line, PATIENCE, ENOUGH))
            self._note(findings, finding)
            self.progress = (count + 1) / len(tried)
            if finding.convincing:
                return

    def _ask(self, line: SerialLine, findings: list[Finding]) -> None:
        tried = to_ask()
        query = self.request.query.encode("latin-1")
        for count, settings in enumerate(tried):
            if self.stopped:
                return
            self.sentence = f"Asking at {settings.short} …"
            line.configure(self._part_at(settings))
            self.drain(line)
            line.write(query)
            wire = len(query) * 11 / settings.baud
            data = self.collect(line, ANSWER + wire, 400, quiet=0.08)
            if data.startswith(query) and len(data) == len(query):
                finding = Finding(settings, data, 0.05, ("our own query came back, and no answer",))
            else:
                finding = judge(settings, data)
            self._note(findings, finding)
            self.progress = (count + 1) / len(tried)
            if finding.convincing:
                return

    def _part_at(self, settings: Settings) -> SerialPart:
        return self.part().model_copy(
            update={
                "baud": settings.baud,
                "data_bits": settings.data_bits,
                "parity": settings.parity,
                "stop_bits": settings.stop_bits,
            }
        )

    def _note(self, findings: list[Finding], finding: Finding) -> None:
        findings.append(finding)
        self.rows.append(_row(finding))
        found = best(findings)
        self.found = _row(found) if found is not None else None

    def _conclude(self, findings: list[Finding]) -> None:
        found = best(findings)
        if self.stopped:
            self.sentence = "Stopped. The port is as it was before."
        elif found is not None and found.convincing:
            self.sentence = f"{found.settings.short} fits: {', '.join(found.reasons)}."
        elif found is not None:
            self.sentence = f"{found.settings.short} fits best, but not surely: {', '.join(found.reasons)}."
        elif any(f.data for f in findings):
            self.sentence = (
                "Bytes came at every setting, and none made sense of them. It may not be text (try its own "
                "protocol), or the cable or its levels (RS-232, RS-485, TTL) are wrong."
            )
        elif self.request.query:
            self.sentence = (
                "Nothing came, neither by itself nor upon the query. Check power, the cable (crossed or straight), "
                "the instrument's own output, its bus address, and the query with its terminator."
            )
        else:
            self.sentence = "It says nothing by itself. If it wants to be asked, give a query that only reads, and try again."


def _row(finding: Finding) -> SearchRow:
    s = finding.settings
    return SearchRow(
        what=s.short,
        data=finding.data[:64].decode("latin-1"),
        score=finding.score,
        words=", ".join(finding.reasons),
        settings={"baud": s.baud, "data_bits": s.data_bits, "parity": s.parity, "stop_bits": s.stop_bits},
    )
