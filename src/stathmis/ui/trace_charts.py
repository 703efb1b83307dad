"""The charts of a run: heat and moisture over their bands, and under them the room, on one scale of days."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QPainter
from PySide6.QtWidgets import QGraphicsPolygonItem, QVBoxLayout, QWidget

from stathmis.core.series import Pyramid
from stathmis.core.units import Quantity, Unit, from_inside
from stathmis.services.batch.course import Course
from stathmis.services.desk import Desk
from stathmis.services.findings.ahead import Ahead, Fan
from stathmis.services.findings.judgement import EggTrace, JudgedRun
from stathmis.services.findings.room_air import AirCurve
from stathmis.services.findings.runs import Run
from stathmis.services.findings.trace import BatchTrace, QuantityTrace
from stathmis.ui import work
from stathmis.ui.chart import (
    DAY_MS,
    Beyond,
    Curve,
    DayAxis,
    Marks,
    Plot,
    Ribbon,
    band_item,
    edge_line,
    restyle,
    styled_plot,
)
from stathmis.ui.chart_library import pg
from stathmis.ui.theme import Theme
from stathmis.words.catalogue import _, within
from stathmis.words.events import kind_word
from stathmis.words.numbers import unit_word

QUANTITIES: tuple[Quantity, Quantity] = ("temperature", "humidity")
STEPS = 60
"""Left and right go along what is in view in so many steps."""
TURN_MS = 10
"""From one step of drawing to the next: meanwhile what the keeper does is answered."""


@dataclass
class Scene:
    """What is to be drawn: a first picture or the whole run, an earlier run beside it, and which curves."""

    traced: BatchTrace
    whole: JudgedRun | None = None
    beside: BatchTrace | None = None
    curves: frozenset[str] = frozenset({"ribbon", "core"})
    ahead: Ahead | None = None

    @property
    def eggs(self) -> EggTrace | None:
        """What the run says about the eggs."""
        return self.whole.eggs if self.whole else None


class TraceCharts(QWidget):
    """Three lanes on one scale of days; the last one only where the room or the dew point is wanted."""

    pointed = Signal(str, float)
    drawn = Signal()

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk, self._theme = desk, theme
        self.scene: Scene | None = None
        self.plots: dict[str, Plot] = {}
        self._axes: dict[str, DayAxis] = {}
        self._pyramids: dict[int, tuple[object, Pyramid]] = {}
        self._left: list[Callable[[], None]] = []
        self._at: float | None = None
        self._turn = work.Turn(self, self._draw_next, TURN_MS)
        self._lanes = QVBoxLayout(self)
        self._lanes.setContentsMargins(0, 0, 0, 0)
        self._lanes.setSpacing(4)

    def ready(self) -> Iterator[None]:
        """Make the lanes of heat and moisture, one a step, where they are not made yet."""
        for lane in QUANTITIES:
            if lane not in self.plots:
                self._make_lane(lane)
                yield

    def _make_lane(self, lane: str) -> None:
        axis = DayAxis(self._desk.book.local)
        plot = styled_plot(self._theme, {"bottom": axis})
        plot.setMouseEnabled(x=True, y=False)
        plot.tell(
            _("Chart of the {word} over the run", word=_("room and the dew point") if lane == "room" else _(lane)), ""
        )
        plot.step = partial(self._step, lane)
        plot.scene().sigMouseMoved.connect(lambda pos, name=lane: self._point(name, pos))
        self.plots[lane], self._axes[lane] = plot, axis
        self._lanes.addWidget(plot, 2 if lane in QUANTITIES else 1)
        if lane != "temperature":
            plot.setXLink(self.plots["temperature"])
        self._set_heights()

    def _step(self, lane: str, way: int) -> None:
        """A sixtieth of what is in view to the left (-1) or right (1), from the middle of it at first."""
        left, right = self.plots[lane].viewRange()[0]
        at = self._at if self._at is not None and left <= self._at <= right else 0.5 * (left + right)
        self._at = min(right, max(left, at + way * (right - left) / STEPS))
        self.pointed.emit("humidity" if lane == "humidity" else "temperature", self._at)

    def tell(self, lane: str, words: str) -> None:
        """Say at a lane what it shows where the keeper looks."""
        plot = self.plots[lane]
        plot.say(plot.accessibleName(), words)

    def _set_heights(self) -> None:
        # a plot wants more room than all of them and the words below have
        for lane, plot in self.plots.items():
            low, high = (150, 230) if lane in QUANTITIES else (100, 140)
            plot.setMinimumHeight(self._theme.px(low))
            plot.setMaximumHeight(self._theme.px(high))

    def restyle(self) -> None:
        """Follow a change of theme or text size."""
        for plot in self.plots.values():
            restyle(plot, self._theme)
        self._set_heights()
        self.redraw()

    def show_scene(self, scene: Scene) -> None:
        """Draw this; the stretch in view stays."""
        self.scene = scene
        self.redraw()

    def redraw(self) -> None:
        """Draw the scene as it stands: a lane is drawn in one turn and painted in the next, and then the next lane."""
        self.hold()
        lanes = (*QUANTITIES, "room")
        self._left = [partial(step, lane) for lane in lanes for step in (self._draw_anew, self._let_paint)]
        self._draw_next()

    def hold(self) -> None:
        """Paint nothing until it is drawn: the size and the stretch of days change meanwhile."""
        for plot in self.plots.values():
            plot.setUpdatesEnabled(False)

    def _draw_next(self) -> None:
        self._left.pop(0)()
        if self._left:
            self._turn.start()
        else:
            self.drawn.emit()

    def _draw_anew(self, lane: str) -> None:
        if lane in self.plots:
            self.plots[lane].clear()
        if self.scene is not None:
            self._draw_lane(self.scene, lane)
        if lane in self.plots:
            self.plots[lane].setUpdatesEnabled(False)

    def _let_paint(self, lane: str) -> None:
        if lane in self.plots:
            self.plots[lane].setUpdatesEnabled(True)

    def _draw_lane(self, scene: Scene, lane: str) -> None:
        if lane == "room":
            self._draw_room(scene)
            return
        if lane not in self.plots:
            self._make_lane(lane)
        found = scene.traced.temperature if lane == "temperature" else scene.traced.humidity
        self.plots[lane].setVisible(found.judged is not None)
        if found.judged is not None:
            self._draw_quantity(scene, found, found.judged)

    def adopt(self, pyramids: list[tuple[Any, Pyramid]]) -> None:
        """Take over pyramids that were worked out elsewhere, by the values they stand for."""
        for values, made in pyramids:
            self._pyramids[id(values)] = (values, made)

    def pyramid(self, times_ms: Any, values: Any) -> Pyramid:
        """Least and most of a run at every scale, worked out once for its values."""
        known = self._pyramids.get(id(values))
        if known is None or known[0] is not values:
            if len(self._pyramids) > 24:
                self._pyramids.clear()
            known = self._pyramids[id(values)] = (values, Pyramid(times_ms, values))
        return known[1]

    def _draw_quantity(self, scene: Scene, found: QuantityTrace, main: Run) -> None:
        quantity, theme, course = found.quantity, self._theme, scene.traced.course
        unit = self._desk.book.shown_unit(quantity)
        plot, color = self.plots[quantity], theme.inks.of(quantity)
        set_ms = float(course.batch.set_ms)
        self._axes[quantity].set_ms, self._axes[quantity].day_words = set_ms, course.day_words
        edges = self._draw_bands(plot, course, quantity, unit, color)
        if scene.beside is not None:
            self._draw_beside(plot, scene.beside, quantity, unit)
        others = [r for r in found.runs if r.channel.id != main.channel.id or main.beside]
        for run in others if "others" in scene.curves else ():
            self._draw_run(plot, run, unit, set_ms, QColor(theme.inks.muted))
        if "ribbon" in scene.curves and main.dense and not scene.traced.outline:
            made = self.pyramid(main.times_ms, main.corrected)
            plot.addItem(Ribbon(made, main.u, set_ms, main.max_gap_s, unit, color))
        self._draw_run(plot, main, unit, set_ms, color)
        if scene.ahead is not None and "ahead" in scene.curves and quantity in scene.ahead.fans:
            self._draw_ahead(plot, scene.ahead.fans[quantity], course, unit, color)
        if quantity == "temperature":
            self._draw_core(plot, scene, unit, set_ms)
            self._draw_set_points(plot, scene, unit)
        elif "room" in scene.curves and scene.whole is not None:
            self._draw_air(plot, scene.whole.room.humidity_inside, unit, set_ms, theme.inks.muted)
        if "raw" in scene.curves:
            raw = self.pyramid(main.times_ms, main.shown)
            pen = pg.mkPen(theme.inks.muted, width=1)
            plot.addItem(Curve(raw, set_ms, main.max_gap_s, unit, pen))
        self._mark_events(plot, scene.traced, quantity)
        self._mark_now(plot, scene.traced)
        # a lid opening may fall far below: what is rare runs off the edge
        often = [float(from_inside(v, unit)) for v in main.typical]
        alone = scene.whole.room.humidity_inside if scene.whole and quantity == "humidity" else None
        if "room" in scene.curves and alone is not None and alone.values.size:
            often += [float(v) for v in np.quantile(alone.values, [0.02, 0.98])]
        fan = scene.ahead.fans.get(quantity) if scene.ahead is not None and "ahead" in scene.curves else None
        if fan is not None:
            often += [float(from_inside(v, unit)) for v in (fan.low.min(), fan.high.max())]
        low, high = min([*edges, *often]), max([*edges, *often])
        margin = 0.12 * (high - low)
        plot.setYRange(low - margin, high + margin, padding=0)
        days = np.asarray((main.times_ms - set_ms) / DAY_MS, dtype=np.float64)
        beyond = Beyond(days, np.asarray(from_inside(main.corrected, unit)), low - margin, high + margin, theme)
        if beyond.count:
            plot.addItem(beyond)
        word = {"temperature": _("Heat"), "humidity": _("Moisture")}[quantity]
        beside = (
            _(" · beside it, dashed: {batch}", batch=scene.beside.course.batch.name) if scene.beside is not None else ""
        )
        room = scene.whole.room.humidity_inside if scene.whole else None
        if quantity == "humidity" and "room" in scene.curves and room is not None:
            beside += _(" · grey: what the room's air alone would give")
        self._title(
            plot,
            _(
                "{word}, {unit_word} · {names}, corrected{beside}",
                word=word,
                unit_word=unit_word(unit),
                names=main.names,
                beside=beside,
            ),
            color.name(),
        )

    def _draw_bands(self, plot: Any, course: Course, quantity: Quantity, unit: Unit, color: QColor) -> list[float]:
        edges = []
        for phase in course.phases:
            band = phase.temperature_c if quantity == "temperature" else phase.humidity
            if band is not None and phase.name != "warm-up":
                low, high = (float(from_inside(v, unit)) for v in (band.low, band.high))
                edges += [low, high]
                tint = self._theme.inks.tint + 8
                plot.addItem(band_item(phase.start_day, phase.end_day, low, high, color, tint))
                for level in (low, high):
                    plot.addItem(edge_line(phase.start_day, phase.end_day, level, color))
        return edges

    def _draw_ahead(self, plot: Any, fan: Fan, course: Course, unit: Unit, color: QColor) -> None:
        """Where 95 % of what will be read lies, and its mean."""
        days = (fan.times_ms - course.batch.set_ms) / DAY_MS
        low, middle, high = (np.asarray(from_inside(v, unit)) for v in (fan.low, fan.middle, fan.high))
        shape = pg.functions.arrayToQPolygonF(np.concatenate([days, days[::-1]]), np.concatenate([high, low[::-1]]))
        item = QGraphicsPolygonItem(shape)
        tint = QColor(color)
        tint.setAlpha(70)
        item.setBrush(tint)
        item.setPen(pg.mkPen(color, width=1, style=Qt.PenStyle.DotLine))
        plot.addItem(item)
        plot.addItem(pg.PlotCurveItem(days, middle, pen=pg.mkPen(color, width=1, style=Qt.PenStyle.DashLine)))

    def _draw_run(self, plot: Any, run: Run, unit: Unit, set_ms: float, color: QColor) -> None:
        if run.dense:
            pen = pg.mkPen(color, width=1)
            plot.addItem(Curve(self.pyramid(run.times_ms, run.corrected), set_ms, run.max_gap_s, unit, pen))
            return
        days = (run.times_ms - set_ms) / 86_400_000
        values = np.asarray(from_inside(run.corrected, unit))
        plot.addItem(pg.ScatterPlotItem(days, values, size=5, pen=pg.mkPen(color), brush=pg.mkBrush(None)))

    def _draw_beside(self, plot: Any, beside: BatchTrace, quantity: Quantity, unit: Unit) -> None:
        """An earlier run, its own day 0 on this one's."""
        run = (beside.temperature if quantity == "temperature" else beside.humidity).judged
        if run is None:
            return
        set_ms = float(beside.course.batch.set_ms)
        color = QColor(self._theme.inks.selection)
        if run.dense:
            pen = pg.mkPen(color, width=1, style=Qt.PenStyle.DashLine)
            plot.addItem(Curve(self.pyramid(run.times_ms, run.corrected), set_ms, run.max_gap_s, unit, pen))
        else:
            self._draw_run(plot, run, unit, set_ms, color)

    def _draw_core(self, plot: Any, scene: Scene, unit: Unit, set_ms: float) -> None:
        eggs = scene.eggs
        if eggs is None or "core" not in scene.curves or not eggs.run.dense:
            return
        known = np.isfinite(eggs.core)
        if not known.any():
            return
        whole = bool(known.all())
        times, core = (eggs.run.times_ms, eggs.core) if whole else (eggs.run.times_ms[known], eggs.core[known])
        pen = pg.mkPen(QColor(self._theme.inks.eggs), width=1)
        made = self.pyramid(times, core) if whole else Pyramid(times, core)
        plot.addItem(Curve(made, set_ms, eggs.run.max_gap_s, unit, pen))

    def _draw_set_points(self, plot: Any, scene: Scene, unit: Unit) -> None:
        if "set_point" not in scene.curves or scene.whole is None or not scene.whole.set_points:
            return
        course = scene.traced.course
        at = [course.day(ms) for ms, _ in scene.whole.set_points]
        values = [float(from_inside(c, unit)) for _, c in scene.whole.set_points]
        days = [*at, course.day(scene.traced.until_ms)]
        x = np.repeat(days, 2)[1:-1]
        pen = pg.mkPen(self._theme.inks.ink, width=1, style=Qt.PenStyle.DashDotLine)
        plot.addItem(pg.PlotCurveItem(x, np.repeat(values, 2), pen=pen))

    def _draw_air(self, plot: Any, curve: AirCurve | None, unit: Unit, set_ms: float, ink: str) -> None:
        if curve is not None and curve.times_ms.size:
            pen = pg.mkPen(QColor(ink), width=1)
            plot.addItem(Curve(Pyramid(curve.times_ms, curve.values), set_ms, curve.max_gap_s, unit, pen))

    def _draw_room(self, scene: Scene) -> None:
        """Room temperature against the dew point inside: glass colder than the dew point fogs."""
        room = scene.whole.room if scene.whole is not None else None
        wanted = "room" in scene.curves and room is not None and (room.temperature or room.dew_point) is not None
        if "room" in self.plots:
            self.plots["room"].setVisible(wanted)
        if not wanted or room is None:
            return
        if "room" not in self.plots:
            self._make_lane("room")
        plot = self.plots["room"]
        unit, inks = self._desk.book.temperature_unit, self._theme.inks
        set_ms = float(scene.traced.course.batch.set_ms)
        self._axes["room"].set_ms, self._axes["room"].day_words = set_ms, scene.traced.course.day_words
        values: list[float] = []
        words = []
        if room.temperature is not None:
            self._draw_run(plot, room.temperature, unit, set_ms, inks.of("temperature"))
            values += room.temperature.typical
            words.append(_("room ({names})", names=room.temperature.names))
        if room.dew_point is not None and room.dew_point.times_ms.size:
            self._draw_air(plot, room.dew_point, unit, set_ms, inks.moisture)
            values += np.quantile(room.dew_point.values, [0.01, 0.99]).tolist()
            words.append(_("dew point inside: glass colder than this fogs"))
        self._mark_now(plot, scene.traced)
        shown = [float(from_inside(v, unit)) for v in values]
        margin = max(0.5, 0.15 * (max(shown) - min(shown)))
        plot.setYRange(min(shown) - margin, max(shown) + margin, padding=0)
        self._title(plot, f"{unit_word(unit)} · {' · '.join(words)}", inks.muted)

    def _title(self, plot: Any, words: str, color: str) -> None:
        safe = words.replace("&", "&amp;").replace("<", "&lt;")
        size = self._theme.px(12)
        plot.plotItem.setTitle(f'<span style="font-family:Inter;font-size:{size}px;color:{color}">{safe}</span>')

    def _mark_now(self, plot: Any, traced: BatchTrace) -> None:
        now = traced.course.day(traced.until_ms)
        plot.addItem(pg.InfiniteLine(now, pen=pg.mkPen(self._theme.inks.ink, width=1, style=Qt.PenStyle.DashLine)))

    def _mark_events(self, plot: Any, traced: BatchTrace, quantity: Quantity) -> None:
        # water, which is frequent, in one line of words, and the rest under it
        words = [
            within(kind_word(event.kind).split()[0]) if quantity == "temperature" else "" for event in traced.events
        ]
        marks = [
            (traced.course.day(event.time_ms), word, int(event.kind != "water"))
            for event, word in zip(traced.events, words, strict=True)
        ]
        plot.addItem(Marks(marks, self._theme), ignoreBounds=True)

    def show_stretch(self, from_day: float, to_day: float) -> None:
        """Show a stretch of days."""
        self.plots["temperature"].setXRange(from_day, to_day, padding=0)

    def _point(self, lane: str, position: Any) -> None:
        if self.scene is not None and lane in QUANTITIES:
            self.pointed.emit(lane, self.plots[lane].plotItem.vb.mapSceneToView(position).x())

    def picture(self, heading: str, scale: float = 2.0) -> QImage:
        """The charts as they are in view with a heading over them, for passing on."""
        top = self._theme.px(40)
        image = QImage(round(self.width() * scale), round((self.height() + top) * scale), QImage.Format.Format_RGB32)
        image.setDevicePixelRatio(scale)
        image.fill(QColor(self._theme.inks.paper))
        painter = QPainter(image)
        painter.setPen(QColor(self._theme.inks.ink))
        painter.setFont(self._theme.font(14))
        room = QRectF(12, 0, self.width() - 24, top)
        painter.drawText(room, int(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft), heading)
        self.render(painter, QPointF(0, top).toPoint())
        painter.end()
        return image
