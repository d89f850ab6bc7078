"""A broker that values are published to."""

import contextlib
import socket
import ssl
import sys
import time
from pathlib import Path
from typing import Any

from paho.mqtt import client as mqtt
from paho.mqtt.enums import CallbackAPIVersion
from paho.mqtt.properties import Properties
from paho.mqtt.reasoncodes import ReasonCode

from tidybench.core.setup.destinations import ToMqtt
from tidybench.links.link import LinkError
from tidybench.links.outlets import NotNow

UNCONFIRMED = 200
"""Messages that the broker has not confirmed yet, at most. The client library sends them again when it is connected again (MQTT 5.0, 4.4)."""

KEEP_ALIVE = 15
"""Seconds: after one and a half times as long without a sign the broker publishes the last will."""

CONNECT = 3.0
"""Seconds for one attempt to connect."""

FAREWELL = 2.0
"""Seconds for what is not confirmed yet, at the end."""


class MqttOutlet:
    """The library's thread connects, again and again, and confirms; `write` hands one message over."""

    def __init__(self, part: ToMqtt, name: str) -> None:
        """`name` tells it from others of this computer."""
        self._part = part
        self._connected = False
        self._why = f"The broker at {part.host}, TCP port {part.tcp_port}, does not answer yet."
        self._refused = ""
        self._window = UNCONFIRMED
        self._open: set[int] = set()
        five = part.version == "5"
        self._client = made = mqtt.Client(
            CallbackAPIVersion.VERSION2,
            client_id=part.client_id or f"tidybench-{socket.gethostname()[:40]}-{name}",
            protocol=mqtt.MQTTv5 if five else mqtt.MQTTv311,
            clean_session=None if five else True,
            reconnect_on_failure=True,
        )
        made.on_connect, made.on_disconnect = self._on_connect, self._on_disconnect
        made.on_connect_fail, made.on_publish = self._on_connect_fail, self._on_publish
        made.reconnect_delay_set(1, 10)
        made.connect_timeout = CONNECT
        made.max_inflight_messages_set(UNCONFIRMED)
        if part.user:
            made.username_pw_set(part.user, _password(part.password_file))
        if part.state_topic:
            made.will_set(part.state_topic, b"offline", 1, True)
        if part.tls:
            made.tls_set_context(_context(part.ca_file))
        made.connect_async(part.host, part.tcp_port, KEEP_ALIVE)
        made.loop_start()

    def write(self, data: bytes) -> None:
        """One message. Raises NotNow while the broker is away, or has too many that it has not confirmed."""
        if not self._connected:
            raise NotNow(self._why)
        if len(self._open) >= self._window:
            raise NotNow("")
        if self._refused:
            why, self._refused = self._refused, ""
            raise LinkError("lost", why)
        told = self._client.publish(self._part.topic, data, self._part.quality, self._part.retain)
        if told.rc not in (mqtt.MQTT_ERR_SUCCESS, mqtt.MQTT_ERR_NO_CONN):
            raise LinkError("lost", f"The message cannot be published: {mqtt.error_string(told.rc)}")
        if self._part.quality:
            self._open.add(told.mid)
            if told.is_published():  # confirmed before it was noted
                self._open.discard(told.mid)

    def read(self, timeout: float | None) -> bytes:
        """Nothing is subscribed to."""
        if not self._connected:
            raise NotNow(self._why)
        return b""

    @property
    def unconfirmed(self) -> int:
        """Messages that the broker has not confirmed yet."""
        return len(self._open)

    def close(self) -> None:
        """Wait a little for what is not confirmed yet, say that it is gone, and go."""
        until = time.monotonic() + FAREWELL
        while self._connected and self._open and time.monotonic() < until:
            time.sleep(0.005)
        if self._connected and self._part.state_topic:
            with contextlib.suppress(ValueError, RuntimeError):
                self._client.publish(self._part.state_topic, b"offline", 1, True).wait_for_publish(FAREWELL)
        self._client.disconnect()
        self._client.loop_stop()

    # ---- the library's thread

    def _on_connect(self, client: mqtt.Client, data: Any, flags: mqtt.ConnectFlags, code: ReasonCode, more: Any) -> None:  # fmt: skip
        if code.is_failure:
            self._why = f"The broker refuses: {str(code).lower()}."
            return
        # The library does not heed what the broker bears at a time (MQTT 5.0, 3.2.2.3.3); one is left for the state.
        bears = getattr(more, "ReceiveMaximum", 65_535)
        self._window = max(1, min(UNCONFIRMED, bears - 1))
        self._connected = True
        if self._part.state_topic:
            client.publish(self._part.state_topic, b"online", 1, True)

    def _on_disconnect(
        self, client: mqtt.Client, data: Any, flags: mqtt.DisconnectFlags, code: ReasonCode, more: Properties | None
    ) -> None:  # fmt: skip
        if self._connected:
            self._why = f"The broker has gone: {str(code).lower()}."
        self._connected = False

    def _on_connect_fail(self, client: mqtt.Client, data: Any) -> None:
        error = sys.exc_info()[1]
        where = f"{self._part.host}, TCP port {self._part.tcp_port}"
        if isinstance(error, ssl.SSLCertVerificationError):
            self._why = f"The broker at {where} is not trusted: {error.verify_message}. Give the certificates that it is to be checked with."
        elif isinstance(error, ssl.SSLError):
            self._why = f"TLS with {where} does not come about: {error.reason or error}."
        elif isinstance(error, ConnectionRefusedError):
            self._why = f"Nothing listens at {where}."
        elif isinstance(error, socket.gaierror):
            self._why = f"There is no computer or device called {self._part.host}."
        else:
            self._why = f"{where} cannot be reached: {getattr(error, 'strerror', None) or error}."

    def _on_publish(
        self, client: mqtt.Client, data: Any, mid: int, code: ReasonCode, more: Properties
    ) -> None:
        self._open.discard(mid)
        if code.is_failure:
            self._refused = (
                f"The broker does not take what is published under {self._part.topic}: {str(code).lower()}."
            )


def _password(path: str) -> str | None:
    if not path:
        return None
    try:
        return Path(path).expanduser().read_text("utf-8").strip()
    except (OSError, UnicodeDecodeError) as error:
        why = getattr(error, "strerror", None) or "it is no text"
        raise LinkError("missing", f"The password in {path} cannot be read: {why}.") from error


def _context(ca_file: str) -> ssl.SSLContext:
    try:
        return ssl.create_default_context(cafile=str(Path(ca_file).expanduser()) if ca_file else None)
    except (OSError, ssl.SSLError) as error:
        why = error.strerror if not isinstance(error, ssl.SSLError) else "they are no certificates (PEM)"
        raise LinkError("missing", f"The certificates in {ca_file} cannot be read: {why}.") from error
