"""A TCP port that others connect to."""

import socket

from tidybench.links.link import LinkError


def listening(host: str, tcp_port: int) -> socket.socket:
    """A server's socket, which does not block. Raises LinkError with a sentence."""
    try:
        server = socket.create_server((host, tcp_port))
    except OSError as error:
        why = f"Nothing can listen on {host}, TCP port {tcp_port}: {error.strerror}."
        raise LinkError("in use", why) from error
    server.setblocking(False)
    return server
