"""A chart in the house's dress: no toolbar, no zoom by accident, units on both axes."""

import html
import math

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainterPath, QPen
from PySide6.QtWidgets import QGraphicsPathItem

from calm_relay.desk.widgets.label import Label, rich
from calm_relay.desk.widgets.let_go import let_go
from calm_relay.desk.widgets.theme import colours, font

pg.setConfigOptions(antialias=True)
# Room of a title, above which nothing is laid; height of its row; what is kept free beside it; the least to write on.
TITLE_PX, TITLE_ROW_PX, MARGIN_PX, LEAST_TITLE_PX = 26, 30.0, 6.0, 80.0
# Between keys and what is drawn.
GAP_PX = 3.0

MILLION = 1_000_000.0


def pen(colour: str, width: float = 1.6, style=Qt.PenStyle.SolidLine):
    """A line of a colour; width in logical pixels."""
    made = pg.mkPen(colour, width=width)
    made.setStyle(style)
    return made


def brush(colour: str, alpha: int = 255):
    """A filling."""
    shade = QColor(colour)
    shade.setAlpha(alpha)
    return pg.mkBrush(shade)


def shades_between(*colours_: str):
    """A table of 256 colours that runs evenly through the colours given, for images."""
    stops = np.array([[QColor(c).red(), QColor(c).green(), QColor(c).blue()] for c in colours_], dtype=float)
    at, marks = np.linspace(0, 1, 256), np.linspace(0, 1, len(stops))
    return np.stack([np.interp(at, marks, stops[:, i]) for i in range(3)], axis=1).astype(np.ubyte)


def between(x, lower, upper):
    """The outline of what lies between two lines; the chart library's own item takes ten times as long to fill it."""
    if not len(x):
        return QPainterPath()
    return pg.arrayToQPath(np.concatenate([x, x[::-1]]), np.concatenate([upper, lower[::-1]]), connect="all")


class Axis(pg.AxisItem):
    """An axis whose figures are written as elsewhere: thousands apart, millions as such."""

    def tickStrings(self, values, scale, spacing):
        """What stands at each tick."""
        if self.logMode:
            return super().tickStrings(values, scale, spacing)
        shown = [float(value) * scale for value in values]
        big = max(map(abs, shown), default=0.0) >= MILLION
        unit = MILLION if big else 1.0
        places = max(0, math.ceil(-math.log10(spacing * scale / unit) - 1e-9))
        suffix = " M" if big else ""
        texts = ["0" if big and not value else f"{value / unit + 0.0:,.{places}f}{suffix}" for value in shown]
        return [text.replace("-", "\u2212") for text in texts]


class Chart(pg.PlotWidget):
    """A plot with a title that says what it shows, and axes with units.

    Signals
    -------
    dropped : float
        Where a marker was let go, in units of the x axis.
    """

    dropped = Signal(float)
    _waiting: Label | None = None
    _title = ""
    # Whether it is hidden because there was nothing to draw.
    _empty = False
    # Where the scale begins and what is drawn ends, while the keys stand over it.
    _under: tuple[float, float] | None = None

    def __init__(self, title: str, x_label: str, y_label: str, parent=None):
        axes = {name: Axis(name) for name in ("left", "bottom")}
        super().__init__(parent, enableMenu=False, axisItems=axes)
        for name in (*axes, "right"):
            # Figures of small houses stay in the unit that the axis names.
            self.getPlotItem().getAxis(name).enableAutoSIPrefix(False)
        self.setMouseEnabled(False, False)
        self.hideButtons()
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setAccessibleName(title)
        self._begun = self._labels = title, x_label, y_label
        self._title = title
        self._keys: list[tuple[pg.TextItem, int]] = []
        self.getViewBox().sigResized.connect(self._make_room)
        self.waits()

    def waits(self, words: str = "Being worked out…") -> None:
        """Words, why nothing is drawn, in place of axes that measure nothing; until something is."""
        self._wipe()
        self.waits_no_more()
        if self._empty:
            self._empty = False
            self.show()
        # A title with figures is of what was drawn.
        self._labels = self._begun
        self._waiting = Label(words, self)
        self._waiting.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._waiting.setWordWrap(True)
        self._waiting.setFont(font(8.4))
        self._waiting.setAutoFillBackground(True)
        self._waiting.setGeometry(self.rect().adjusted(0, TITLE_PX, 0, 0))
        self._waiting.show()
        self.dress()

    def resizeEvent(self, event):
        """What stands in place of axes fills them."""
        super().resizeEvent(event)
        if self._title and event.oldSize().width() != event.size().width():
            self.head(self._title)
        if self._waiting is not None:
            self._waiting.setGeometry(self.rect().adjusted(0, TITLE_PX, 0, 0))

    def dress(self) -> None:
        """Takes the application's colours."""
        title, x_label, y_label = self._labels
        look = colours()
        self.setBackground(look.paper)
        if self._waiting is not None:
            palette = self._waiting.palette()
            palette.setColor(palette.ColorRole.Window, QColor(look.paper))
            palette.setColor(palette.ColorRole.WindowText, QColor(look.quiet))
            self._waiting.setPalette(palette)
        item = self.getPlotItem()
        self.head(title)
        for name, label in (("bottom", x_label), ("left", y_label)):
            axis = item.getAxis(name)
            axis.setPen(pen(look.rule, 1))
            axis.setTextPen(pen(look.quiet, 1))
            axis.setTickFont(font(7.8))
            axis.setStyle(tickLength=-4, maxTickLevel=0)
            item.setLabel(name, html.escape(label or ""), color=look.quiet, **{"font-size": "8pt"})

    def head(self, title: str) -> None:
        """Another title, on two lines where one has no room for it, cut where two have none.

        The axes never grow beyond the chart for a title's sake.
        """
        self._title = title
        item = self.getPlotItem()
        label = item.titleLabel
        room = self.width() - sum(item.getAxis(name).width() for name in ("left", "right")) - MARGIN_PX
        words = title.split(" ")
        label.item.setTextWidth(-1.0)
        self._write(title)
        one_line = label.item.boundingRect().height()
        high = TITLE_ROW_PX
        if room > LEAST_TITLE_PX and label.item.boundingRect().width() > room:
            high = one_line * 1.7
            label.item.setTextWidth(room)
            while label.item.boundingRect().height() > one_line * 2.0 and len(words) > 1:
                words.pop()
                self._write(" ".join(words).rstrip(",;:") + "…")
        item.layout.setRowFixedHeight(0, high)
        label.setMaximumHeight(high)
        label.setMinimumWidth(0.0)
        item.layout.activate()
        item.setGeometry(self.range)

    def _write(self, title: str) -> None:
        self.getPlotItem().setTitle(html.escape(title), color=colours().ink, size="9pt", justify="left")

    def start(self) -> None:
        """Clears what is drawn and takes the colours anew."""
        self.waits_no_more()
        self._wipe()
        self.dress()

    def _wipe(self) -> None:
        self.clear()
        self._under = None
        self._keys.clear()

    def waits_no_more(self) -> None:
        """Takes away the words that stand where nothing is drawn yet."""
        if self._waiting is not None:
            self._waiting.hide()
            let_go(self._waiting)
            self._waiting = None

    def begins(self, result) -> bool:
        """Clears the chart and hides it where there is nothing to draw; says whether there is."""
        self.start()
        # An empty pair of axes says less than nothing.
        self._empty = result is None
        self.setVisible(not self._empty)
        return not self._empty

    def sizeHint(self) -> QSize:
        """Small: benches decide how much room a chart gets."""
        return QSize(260, 130)

    def minimumSizeHint(self) -> QSize:
        """The least at which axes can be read."""
        return QSize(160, 90)

    def steps(self, edges, values, colour, *, base=0.0, alpha=255):
        """A filled staircase; `base` is a number or an array of lower values."""
        edges = np.repeat(np.asarray(edges, dtype=float), 2)[1:-1]
        values = np.asarray(values, dtype=float)
        lower = np.broadcast_to(np.asarray(base, dtype=float), values.shape)
        self.band(edges, np.repeat(lower, 2), np.repeat(values, 2), colour, alpha)

    def band(self, x, lower, upper, colour, alpha=255):
        """What lies between two lines, filled; returns the item, whose path is `between` them."""
        self.waits_no_more()
        item = QGraphicsPathItem(between(x, lower, upper))
        item.setPen(QPen(Qt.PenStyle.NoPen))
        item.setBrush(brush(colour, alpha))
        self.addItem(item)
        return item

    def line(self, x, y, colour, width=1.8, style=Qt.PenStyle.SolidLine, symbol=None):
        """A curve."""
        self.waits_no_more()
        marks = (
            {} if symbol is None else {"symbol": symbol, "symbolSize": 6, "symbolBrush": colour, "symbolPen": None}
        )
        return self.plot(x, y, pen=pen(colour, width, style), **marks)

    def words(self, x, y, text, colour, anchor=(0, 1), *, strong=False, backed=False):
        """Words beside a curve; on paper of their own where what lies behind is busy."""
        fill = brush(colours().paper, 220) if backed else None
        item = pg.TextItem(text, color=colour, anchor=anchor, fill=fill)
        item.setFont(font(8, strong=strong))
        self.addItem(item)
        item.setPos(x, y)

    def key(self, x, y, text, colour, row: int = 0):
        """A square of a colour with its words in ink, the left upper corner at x and y, so many rows lower."""
        look = colours()
        item = pg.TextItem(anchor=(0, -0.75 * row), fill=brush(look.paper, 220))
        item.setZValue(45)
        item.setHtml(
            rich("<span style='color:{}'>■</span> <span style='color:{}'>{}</span>", colour, look.ink, text)
        )
        item.setFont(font(8))
        self.addItem(item)
        item.setPos(x, y)
        self._keys.append((item, row))

    def keys_above(self, low: float, top: float) -> None:
        """A scale from `low` to above `top`, with the room over it that the keys take, however high the chart is."""
        self._under = low, top
        self._make_room()

    def _make_room(self) -> None:
        if self._under is None:
            return
        low, top = self._under
        taken = max((item.boundingRect().height() * (1.0 + 0.75 * row) for item, row in self._keys), default=0.0)
        taken += GAP_PX if taken else 0.0
        # No less than a third of the height is left to what is drawn.
        share = min(taken / max(self.getViewBox().height(), 1.0), 2.0 / 3.0)
        end = low + (top - low) / (1.0 - share)
        for item, _ in self._keys:
            item.setPos(item.x(), end)
        self.setYRange(low, end, padding=0)

    def right_axis(self, ticks) -> None:
        """A second scale at the right; ticks are (height in units of the left axis, words)."""
        axis = self.getPlotItem().getAxis("right")
        self.getPlotItem().showAxis("right")
        axis.setPen(pen(colours().rule, 1))
        axis.setTextPen(pen(colours().quiet, 1))
        axis.setTickFont(font(7.8))
        axis.setTicks([ticks])

    def level(self, y, text, colour, *, right=False, below=False):
        """A horizontal limit with its words, at the left or the right end, above it or below."""
        line = pg.InfiniteLine(
            y, angle=0, pen=pen(colour, 1.4, Qt.PenStyle.DashLine), label=text,
            labelOpts={"position": 0.98 if right else 0.02, "anchors": [(right, not below)] * 2, "color": colour,
                       "fill": brush(colours().paper, 220)},
        )  # fmt: skip
        line.label.setFont(font(8))
        self.addItem(line)

    def marker(self, x, text, colour, *, movable=False, position=0.95, dashed=False, anchors=((0, 0.5), (1, 0.5))):
        """A vertical mark with its words; a movable one tells where it was dropped."""
        style = Qt.PenStyle.DashLine if dashed else Qt.PenStyle.SolidLine
        line = pg.InfiniteLine(
            x, angle=90, pen=pen(colour, 2.4 if movable else 1.2, style), movable=movable, label=text or None,
            hoverPen=pen(colour, 4) if movable else None,
            labelOpts={
                "position": position, "anchors": list(anchors), "color": colour,
                "fill": brush(colours().paper, 220),
            },
        )  # fmt: skip
        if text:
            line.label.setFont(font(8, strong=movable))
        # Words of an earlier mark stand over the line of a later one.
        line.setZValue(50 if movable else 40 - len(self.getPlotItem().items))
        if movable:
            line.sigPositionChangeFinished.connect(lambda moved: self.dropped.emit(float(moved.value())))
        self.addItem(line)
        return line
