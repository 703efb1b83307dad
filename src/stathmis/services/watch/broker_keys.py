"""Passwords of brokers: beside the keeper's own settings, readable by nobody else, and never in a logbook."""

from __future__ import annotations

import json
from pathlib import Path

import platformdirs

from stathmis.exchange.whole_file import replacing


def _file() -> Path:
    return Path(platformdirs.user_config_dir("stathmis")) / "brokers.json"


def _known() -> dict[str, str]:
    try:
        found = json.loads(_file().read_text(encoding="utf-8"))
    except (OSError, ValueError):
        return {}
    return {str(k): str(v) for k, v in found.items()} if isinstance(found, dict) else {}


def password(device: str) -> str:
    """The password of a broker by its address, empty where there is none."""
    return _known().get(device, "")


def keep(device: str, secret: str) -> None:
    """Keep the password of a broker, or forget it where it is empty. Raises UserError where it cannot be kept."""
    known = {k: v for k, v in _known().items() if k != device} | ({device: secret} if secret else {})
    file = _file()
    if not known and not file.exists():
        return
    file.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    with replacing(file) as partial:
        partial.touch(mode=0o600)
        partial.write_text(json.dumps(known), encoding="utf-8")
        partial.chmod(0o600)
