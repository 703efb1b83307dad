"""Readings other devices publish at an MQTT broker of the keeper's own: only as its client, only the topics that were
chosen. Payloads are a number, JSON, or named values; what a broker kept from earlier is shown, not logged: it does not
say of when it is.
"""

from __future__ import annotations

import re
import socket
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from stathmis.devices.line_protocol import number, values_in
from stathmis.devices.source import READ_S, TEXT_LENGTH, Said

if TYPE_CHECKING:
    from paho.mqtt.client import MQTTMessage

MOST_BYTES = 16_384
"""A longer payload is no reading."""
CONNECT_S = 5.0
KEEP_ALIVE_S = 30
PORT, TLS_PORT = 1883, 8883
"""Source: MQTT 3.1.1, OASIS standard (2014), and the service names registered for it."""
SEPARATOR = "|"
"""Stands between a topic and the name of a value in its payload."""

_ADDRESS = re.compile(r"(?:(mqtts?)://)?(?:([^@/\s]+)@)?([\w.\-]+|\[[0-9a-fA-F:]+\])(?::(\d{1,5}))?/?")


@dataclass(frozen=True)
class Address:
    """Where a broker is: a host and port, or the path of a local socket; user: empty where it asks for none."""

    host: str
    port: int = PORT
    tls: bool = False
    user: str = ""
    socket: bool = False


def address(text: str) -> Address | None:
    """Read "box", "user@box:1883", "mqtts://box" or "unix:/run/broker"; None for anything else."""
    text = text.strip()
    if text.startswith("unix:/"):
        return Address(text.removeprefix("unix:"), socket=True)
    match = _ADDRESS.fullmatch(text)
    if not match:
        return None
    tls = match[1] == "mqtts"
    port = int(match[4]) if match[4] else TLS_PORT if tls else PORT
    return Address(match[3].strip("[]"), port, tls, match[2] or "") if 0 < port < 65_536 else None


class MqttTopics:
    """Topics of a broker; none given: all that is published there, with what the broker kept."""

    def __init__(self, at: Address, topics: Sequence[str], password: str = "") -> None:
        """Connect and subscribe. Raises OSError where that cannot be."""
        # read in only where there is a broker
        from paho.mqtt import client as mqtt
        from paho.mqtt.enums import CallbackAPIVersion

        self._words, self._success = mqtt.error_string, mqtt.MQTT_ERR_SUCCESS
        self._heard: list[Said] = []
        self._listening = not topics
        self._joined: Any = None
        self._client = mqtt.Client(CallbackAPIVersion.VERSION2, transport="unix" if at.socket else "tcp")
        self._client.connect_timeout = CONNECT_S
        if at.user:
            self._client.username_pw_set(at.user, password or None)
        if at.tls:
            import ssl

            self._client.tls_set_context(ssl.create_default_context())
        self._client.on_message = self._took
        self._client.on_connect = self._answered
        if at.socket:
            # the library leaves one open that does not answer
            with socket.socket(socket.AF_UNIX) as tried:
                tried.connect(at.host)
        try:
            self._client.connect(at.host, at.port, KEEP_ALIVE_S)
            self._wait_for_answer()
            for topic in topics or ("#",):
                self._client.subscribe(topic, qos=1)
        except (ValueError, mqtt.WebsocketConnectionError) as error:
            self.close()
            raise OSError(str(error)) from error
        except BaseException:
            self.close()
            raise

    def _answered(self, _client: object, _data: object, _flags: object, reason: Any, _properties: object) -> None:
        self._joined = reason

    def _wait_for_answer(self) -> None:
        turns = int(CONNECT_S / READ_S)
        while self._joined is None and turns > 0:
            self._turn()
            turns -= 1
        if self._joined is None or self._joined.is_failure:
            raise ConnectionRefusedError(str(self._joined or "no answer"))

    def _turn(self) -> None:
        done = self._client.loop(timeout=READ_S)
        if done != self._success:
            raise ConnectionResetError(self._words(done))

    def _took(self, _client: object, _data: object, message: MQTTMessage) -> None:
        if message.retain and not self._listening:
            return
        self._heard.append(said(message.topic, bytes(message.payload)))

    def read(self) -> list[Said]:
        """What was published since. Raises OSError when the broker is gone."""
        if not self._heard:
            self._turn()
        heard, self._heard = self._heard, []
        return heard

    def close(self) -> None:
        """Take leave of the broker."""
        self._client.disconnect()


def said(topic: str, payload: bytes) -> Said:
    """A message with its numbers: the topic alone names a bare number, "topic|name" one among others."""
    if len(payload) > MOST_BYTES:
        return Said(f"{topic} …"[:TEXT_LENGTH], {})
    text = payload.decode("utf-8", "replace").strip()
    bare = number(text)
    if bare is not None:
        values = {topic: bare}
    else:
        found = values_in(text, "json") or values_in(text, "named")
        values = {f"{topic}{SEPARATOR}{name}": value for name, value in found.items()}
    return Said(f"{topic} {text}"[:TEXT_LENGTH], values)


def topics_of(names: Sequence[str]) -> list[str]:
    """The topics some values come from."""
    return list(dict.fromkeys(name.partition(SEPARATOR)[0] for name in names))
