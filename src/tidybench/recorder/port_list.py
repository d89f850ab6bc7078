"""The ports of this computer as people see them: with their own labels, who uses them, who holds them."""

from collections.abc import Sequence
from pathlib import Path

from tidybench.core.setup import SerialPart, Setup
from tidybench.links.ports import SIMULATED, Port, PortWatch, ports, real_device
from tidybench.links.serial_port import remedy
from tidybench.wire.ports import PortInfo


class PortList:
    """Watches the ports, and tells them apart by their devices whatever set-ups call them."""

    def __init__(self, simulated: Path) -> None:
        self._simulated = simulated
        self._watch = PortWatch(simulated)

    def start(self) -> None:
        """Begin to watch."""
        self._watch.start()

    def stop(self) -> None:
        """End."""
        self._watch.stop()

    def same(self, one: str, other: str) -> bool:
        """Whether two names mean the same port."""
        return one == other or real_device(one, self._simulated) == real_device(other, self._simulated)

    def infos(self, setups: Sequence[Setup], labels: dict[str, str]) -> list[PortInfo]:
        """All ports as they were seen last, within half a second."""
        found = self._watch.now or ports(self._simulated)
        users: dict[str, list[str]] = {}
        for setup in setups:
            if isinstance(setup.link, SerialPart):
                for key in {setup.link.port, self._watch.real(setup.link.port)}:
                    users.setdefault(key, []).append(setup.instrument.name)
        return [self._info(port, users, labels) for port in found]

    def _info(self, port: Port, users: dict[str, list[str]], labels: dict[str, str]) -> PortInfo:
        used = users.get(port.name) or users.get(self._watch.real(port.device)) or []
        return PortInfo(
            name=port.name,
            device=port.device,
            label=labels.get(port.name, ""),
            description=port.description,
            maker=port.maker,
            product=port.product,
            usb_ids=port.usb_ids,
            serial_number=port.serial_number,
            place=port.place,
            holder=port.holder,
            remedy=remedy(port.device) if port.forbidden else "",
            used_by=used,
            simulated=port.name.startswith(SIMULATED),
        )
