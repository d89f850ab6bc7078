"""Ports given up and taken back, by the name that people call them."""

import logging

from tidybench.core.setup import SerialPart
from tidybench.recorder.employment import Employment
from tidybench.recorder.port_list import PortList
from tidybench.recorder.refused import RequestRefused, without_controls
from tidybench.recorder.state import StateFile
from tidybench.recorder.worker import Worker

logger = logging.getLogger(__name__)


class HeldPorts:
    """The service's alone."""

    def __init__(self, employment: Employment, ports: PortList, state: StateFile) -> None:
        self._employment, self._ports, self._state = employment, ports, state

    def workers_on(self, port: str) -> list[Worker]:
        """The workers that use a port, whatever they call it."""
        workers = self._employment.now.workers
        if port in workers:
            return [workers[port]]
        serial = [w for w in workers.values() if isinstance(w.plan.link, SerialPart)]
        return [w for w in serial if self._ports.same(w.plan.key, port)]

    def release(self, link: str, back: bool) -> None:
        """Release a port or take it back. Raises RequestRefused."""
        workers = self.workers_on(link)
        if not workers:
            raise RequestRefused("not found", f"No instrument in force uses the port {link}.")
        keys = [worker.plan.key for worker in workers]
        rest = [key for key in self._state.now.released if key not in keys]
        try:
            self._state.remember(released=rest if back else rest + keys)
        except OSError as error:
            # Whoever needs the port needs it now; only after a restart it would be as before.
            logger.warning("that %s was released or taken back cannot be remembered: %s", link, error)
        for worker in workers:
            if back:
                worker.take_back()
            else:
                worker.release()

    def label(self, port: str, label: str) -> None:
        """Give a port a label of the person's own. Raises RequestRefused."""
        label = " ".join(label.split())
        if len(label) > 60:
            raise RequestRefused("invalid", f"This label has {len(label)} characters; at most 60 fit.")
        without_controls(label + port, "The label")
        labels = {name: text for name, text in self._state.now.labels.items() if name != port}
        try:
            self._state.remember(labels={**labels, port: label} if label else labels)
        except OSError as error:
            raise RequestRefused("disk", f"The label cannot be kept: {error.strerror}.") from error
