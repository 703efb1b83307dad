"""A monkey at the window: real fields, Enter, buttons, choosers, undo, with texts out of all reason; what goes wrong is
counted, and the logbook is opened again afterwards."""

from __future__ import annotations

import os
import random
import sys
import tempfile
import traceback
from collections import Counter
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QCheckBox, QComboBox, QFileDialog, QLineEdit, QMenu, QPushButton, QWidget

from stathmis.core.errors import UserError
from stathmis.demo.scenario import build
from stathmis.logbook.opening import open_logbook
from stathmis.services import notify
from stathmis.services.clock import FixedClock
from stathmis.services.desk import Desk
from stathmis.services.files.archive import workable
from stathmis.ui import pictures
from stathmis.ui.theme import Theme
from stathmis.ui.window import Window

NOW_MS = 1_779_093_600_000
TEXTS = (
    "", " ", "37.5", "99.5F", "48 %", "-1", "0", "1e999", "9" * 400, "²", "٣٧", "nan", "inf", "12", "999999",
    "999999 kg",
    "now", "yesterday 21:30", "2026-05-17 08:10", "0001-01-02 08:00", "9999-12-31", "9999-12-31 23:59", "in 999 weeks",
    "30 Feb", "20 Jun", "tomorrow", "02:30 again", "<b>x</b>", "=1+1", "a\x00b", "\u202eabc", "🐣", "x" * 5000, "1-12",
    "all", "37.5 0.05 0.04; 40 0.05 0.04", "37.5 0 0", "1/3", "40 %", "20 x 6 cm", "0 x 0", "half", "58,3", "2.06oz",
)  # fmt: skip
PAGES = ("round", "trace", "moisture", "eggs", "hatch")
PLACES = ("planner", "records", "instruments", "way", "live", "bring_in", "enter", "changes")
LEFT_ALONE = ("Start a &simulated probe", "&Listen to it", "Candle in the dark")


def main() -> None:
    """Let it loose."""
    steps = int(sys.argv[1]) if len(sys.argv) > 1 else 1000
    rng = random.Random(int(sys.argv[2]) if len(sys.argv) > 2 else 15)
    app = QApplication([])
    app.setStyle("Fusion")
    faults: Counter[str] = Counter()

    def fault(error: BaseException) -> None:
        last = traceback.extract_tb(error.__traceback__)[-1:] or [None]
        where = f"{Path(last[0].filename).name}:{last[0].lineno}" if last[0] is not None else "?"
        key = f"{type(error).__name__} at {where}: {str(error)[:70]}"
        if not faults[key]:
            traceback.print_exception(error)
        faults[key] += 1

    sys.excepthook = lambda kind, error, trace: fault(error)
    told = notify.tell_error
    notify.tell_error = lambda error: told(error) if isinstance(error, UserError) else fault(error)
    for asked in ("getOpenFileName", "getSaveFileName", "getExistingDirectory"):
        answer = "" if asked == "getExistingDirectory" else ("", "")
        setattr(QFileDialog, asked, staticmethod(lambda *_a, a=answer, **_k: a))
    QMenu.exec = lambda *_a, **_k: None  # type: ignore[method-assign, assignment]
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "demo.stathmis"
        build(path, NOW_MS, "Europe/Berlin")
        clock = FixedClock(NOW_MS)
        window = Window(Desk(open_logbook(path), clock), Theme(app, "light"))
        window.show()
        pictures.settle()
        for step in range(steps):
            clock.at_ms += rng.randrange(1, 600_000)
            if step % 12 == 0:
                page = rng.choice((*PAGES, *PAGES, *PLACES))
                (window.show_page if page in PAGES else window.show_place)(page)
                if rng.random() < 0.3:
                    window.step_incubator(1)
                if rng.random() < 0.4:
                    tabs = [b for b in shown(window, QPushButton) if b.property("role") == "tab"]
                    rng.choice(tabs).click() if tabs else None
            try:
                act(window, rng)
            except Exception as error:  # noqa: BLE001  counted: that is what this is for
                fault(error)
            pictures.settle()
        window.close()
        again = open_logbook(path)
        try:
            workable(again)
            print("the logbook opens and can be worked with")
        except ValueError as error:
            print(f"the logbook is unusable: {error}")
        again.close()
    print(f"{steps} steps: {sum(faults.values())} faults of {len(faults)} kinds")
    for key, n in faults.most_common():
        print(f"  {n} x {key}")


def shown(window: Window, kind: type) -> list[QWidget]:
    """Widgets of a kind that can be used just now."""
    view = window.stack.currentWidget()
    return [w for w in view.findChildren(kind) if w.isVisible() and w.isEnabled()]


def act(window: Window, rng: random.Random) -> None:
    """One step."""
    what = rng.random()
    if what < 0.55:
        fields = shown(window, QLineEdit)
        if fields:
            field = rng.choice(fields)
            field.setFocus()
            field.clear()
            text = rng.choice(TEXTS)
            if text.isascii() and text.isprintable() and len(text) < 60:
                QTest.keyClicks(field, text)
            else:
                # as a paste does
                field.insert(text)
                field.textEdited.emit(field.text())
            if rng.random() < 0.6:
                QTest.keyClick(field, Qt.Key.Key_Return)
    elif what < 0.75:
        buttons = [b for b in shown(window, QPushButton) if b.text() not in LEFT_ALONE and b.menu() is None]
        if buttons:
            rng.choice(buttons).click()
    elif what < 0.88:
        choosers = [c for c in shown(window, QComboBox) if c.count()]
        if choosers:
            chooser = rng.choice(choosers)
            chooser.setCurrentIndex(rng.randrange(chooser.count()))
            chooser.activated.emit(chooser.currentIndex())
    elif what < 0.93:
        ticks = shown(window, QCheckBox)
        if ticks:
            rng.choice(ticks).click()
    elif what < 0.97:
        window.undo()
    else:
        window.redo()


if __name__ == "__main__":
    main()
