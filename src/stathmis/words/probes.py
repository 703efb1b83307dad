"""Live probes in words."""

from __future__ import annotations

from stathmis.services.watch.live import ProbeStatus
from stathmis.words.catalogue import _


def state(probe: ProbeStatus) -> str:
    """ "reading", "silent", or what keeps it from being read."""
    if not probe.status.connected:
        return _("not connected: {trouble}", trouble=probe.status.trouble)
    if probe.silent:
        return _("connected, but silent")
    return _("reading") if probe.status.good else _("waiting for the first line")
