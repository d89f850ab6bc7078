"""Finding the addresses on a shared bus."""

from tidybench.core.diagnosis.addresses import judge_answer, query_maker
from tidybench.recorder.searches.search import Search
from tidybench.wire.searches import SearchRow

ANSWER = 0.2
"""Seconds an answer may take beside the time on the wire."""


class AddressSearch(Search):
    """Asks one address after the other. It sends: the interface says so before."""

    def search(self) -> None:
        part, text = self.part(), self.request.query
        make = query_maker(text)
        addresses = range(self.request.first, self.request.last + 1)
        line = self._open(part)
        try:
            for count, address in enumerate(addresses):
                if self.stopped:
                    break
                self.sentence = f"Asking address {address} at {part.short} …"
                self.drain(line, 0.01)
                query = make(address)
                line.write(query)
                wire = (len(query) + 24) * part.byte_time / 1e6
                data = self.collect(line, ANSWER + wire, 400, quiet=0.05)
                said = judge_answer(text, query, data)
                if said is not None:
                    self.rows.append(
                        SearchRow(
                            what=f"address {address}",
                            data=data[:64].decode("latin-1"),
                            score=0.3 if said else 1.0,
                            words=said or "answers",
                        )
                    )
                self.progress = (count + 1) / max(len(addresses), 1)
        finally:
            line.close()
        some = len(self.rows)
        heard = "No address answered" if not some else f"{some} address{'es' if some > 1 else ''} answered"
        asked = (
            f"{addresses.start} to {addresses.stop - 1}"
            if not self.stopped
            else "those asked before it was stopped"
        )
        advice = (
            " Check the settings, A and B of the pair, and that the devices have power." if not some else ""
        )
        self.sentence = f"{heard} of {asked}.{advice}"
