"""Four destinations, for rows that must not change beside them."""

import subprocess
import sys
import tempfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

from tidybench.cluster import free_port
from tidybench.wire.client import Client
from tidybench.wire.forwarding import ApplyForwarding
from tidybench.wire.places import Places
from tidybench.wire.status import GetStatus

DRAIN = """
import select, socket
server = socket.create_server(("127.0.0.1", 0))
udp = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
udp.bind(("127.0.0.1", 0))
print(server.getsockname()[1], udp.getsockname()[1], flush=True)
ends = [server, udp]
while True:
    for one in select.select(ends, (), ())[0]:
        if one is server:
            ends.append(server.accept()[0])
        elif not one.recv(1 << 20) and one is not udp:
            ends.remove(one)
"""
"""Takes all that comes over TCP and UDP."""

MOST = 16
"""Channels of each."""


@contextmanager
def four_on(places: Places, channels: Sequence[str]) -> Iterator[None]:
    """The first channels go with each reading over TCP as JSON and into a file through a pattern, ten times a second by UDP and into registers."""
    drain = subprocess.Popen([sys.executable, "-c", DRAIN], stdout=subprocess.PIPE, text=True)
    client = Client(places.control, patience=20)
    with tempfile.TemporaryDirectory() as folder:
        try:
            assert drain.stdout is not None
            tcp, udp = drain.stdout.readline().split()
            some = list(channels[:MOST])
            names = ";".join(f"<{one.replace('-', '_')}:number 10.3>" for one in some)
            ends = {
                f'{{ kind = "tcp", host = "127.0.0.1", tcp_port = {tcp} }}': "",
                f'{{ kind = "file", path = "{Path(folder) / "values"}" }}': f'pattern = "{names}\\n"\n',
                f'{{ kind = "udp", host = "127.0.0.1", udp_port = {udp} }}': "every_s = 0.1\n",
                f'{{ kind = "modbus", tcp_port = {free_port()} }}': "every_s = 0.1\n",
            }
            text = "".join(
                f'[[destination]]\nid = "d{n}"\nname = "D{n}"\nto = {to}\nchannels = {some}\n{more}'
                for n, (to, more) in enumerate(ends.items())
            )
            answer, _ = client.ask(ApplyForwarding(text=text))
            if answer.trouble:
                raise RuntimeError(answer.why)
            yield
            status, _ = client.ask(GetStatus())
            assert status.status is not None
            for one in status.status.destinations:
                if one.state != "sending" or not one.sent:
                    raise RuntimeError(f"{one.to}: {one.state}, {one.sent} sent; {one.why}")
            client.ask(ApplyForwarding(text=""))
        finally:
            client.close()
            drain.kill()
            drain.wait()
