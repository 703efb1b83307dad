"""What desktops are told of the program is true of it."""

from __future__ import annotations

import configparser
import re
import sqlite3
import tomllib
from contextlib import closing
from pathlib import Path
from xml.etree import ElementTree

import pytest
from PySide6.QtGui import QImage

import stathmis
from stathmis.__main__ import COMMANDS
from stathmis.command import parser
from stathmis.logbook.opening import create_logbook
from stathmis.logbook.tables import APPLICATION_ID

ROOT = Path(__file__).parent.parent
PACKAGING = ROOT / "packaging"
TYPE = "application/vnd.stathmis.logbook"


def test_a_logbook_is_known_by_what_stands_in_it(tmp_path: Path) -> None:
    """The type's own rule, held against the first bytes of a logbook, and of another database."""
    rules = ElementTree.parse(PACKAGING / "stathmis-mime.xml").getroot()
    space = {"m": "http://www.freedesktop.org/standards/shared-mime-info"}
    kind = rules.find("m:mime-type", space)
    assert kind is not None and kind.get("type") == TYPE
    outer = kind.find("m:magic/m:match", space)
    inner = kind.find("m:magic/m:match/m:match", space)
    assert outer is not None and inner is not None
    begin = str(outer.get("value")).encode().decode("unicode_escape").encode()
    mark, at = int(str(inner.get("value")), 16).to_bytes(4, "big"), int(str(inner.get("offset")))
    create_logbook(tmp_path / "l.stathmis", {"time_zone": "UTC"}).close()
    with closing(sqlite3.connect(tmp_path / "other.stathmis")) as other:
        other.execute("CREATE TABLE t (x)")
    for name, ours in (("l", True), ("other", False)):
        head = (tmp_path / f"{name}.stathmis").read_bytes()[:100]
        assert head.startswith(begin)
        assert (head[at : at + 4] == mark) is ours
    assert int.from_bytes(mark, "big") == APPLICATION_ID


def test_the_desktop_opens_logbooks_with_it() -> None:
    entry = configparser.ConfigParser(interpolation=None)
    entry.optionxform = str  # type: ignore[assignment,method-assign]
    entry.read(PACKAGING / "stathmis.desktop", encoding="utf-8")
    desktop = entry["Desktop Entry"]
    assert desktop["Exec"] == "stathmis %f" and TYPE in desktop["MimeType"]
    about = ElementTree.parse(PACKAGING / "org.stathmis.Stathmis.metainfo.xml").getroot()
    assert [about.findtext("provides/mediatype"), about.findtext("launchable")] == [TYPE, "stathmis.desktop"]
    release = about.find("releases/release")
    assert release is not None and release.get("version") == stathmis.__version__


@pytest.mark.parametrize("size", [16, 24, 32, 48, 64, 128, 256])
def test_icons(size: int) -> None:
    image = QImage(str(PACKAGING / "icons" / f"{size}.png"))
    assert (image.width(), image.height()) == (size, size)
    assert image.hasAlphaChannel() and image.pixelColor(size // 2, size // 2).alpha() > 0


def test_the_manual_page_tells_every_command_and_option() -> None:
    page = (PACKAGING / "man" / "stathmis.1").read_text(encoding="utf-8").replace("\\-", "-")
    made = parser()
    told = set(re.findall(r"--[a-z]+", page))
    commands = next(a for a in made._actions if a.choices)
    assert set(commands.choices or ()) == set(COMMANDS)
    for name in COMMANDS:
        assert re.search(rf"\b{name}\b", page), name
    assert {"--at", "--json", "--logbook", "--demo", "--now", "--pictures", "--look"} <= told
    codes = re.findall(r"\b(\d) (?:done|something|a wrong|the logbook)", page.partition("EXIT STATUS")[2])
    assert codes == ["0", "1", "2", "3"]


def test_what_is_installed_is_there() -> None:
    """Every file the wheel and the package take from here exists."""
    project = tomllib.loads((ROOT / "pyproject.toml").read_text(encoding="utf-8"))
    shared = project["tool"]["hatch"]["build"]["targets"]["wheel"]["shared-data"]
    assert [name for name in shared if not (ROOT / name).exists()] == []
    built = (PACKAGING / "build-deb").read_text(encoding="utf-8")
    named = re.findall(r"\$ROOT/(packaging/[\w.\-/]+)", built)
    assert named and [n for n in named if "$" not in n and not n.endswith("/") and not (ROOT / n).exists()] == []
