"""An item of equipment drawn as it is typed."""

import numpy as np

from calm_relay.desk.charts.chart import Chart
from calm_relay.desk.widgets.theme import colours

SHADE = {"main": "ink", "cold": "alternating", "hot": "light", "quiet": "muted"}


class ItemChart(Chart):
    """One picture of an item: curves, or ranges of voltage under each other."""

    def __init__(self, parent=None):
        super().__init__("", "", "", parent)

    def show_picture(self, picture) -> None:
        """Draws a `planning.views.item_picture.ItemPicture`."""
        self._labels = picture.title, picture.x_label, picture.y_label
        self.setAccessibleName(picture.title)
        self.start()
        item = self.getPlotItem()
        item.showAxis("left", bool(picture.y_label))
        item.enableAutoRange()
        self.setMaximumHeight(70 + 42 * len(picture.spans) if picture.spans else 16_777_215)
        if picture.spans:
            self._draw_spans(picture.spans)
        else:
            self._draw_curves(picture.curves, *picture.words_at)

    def _draw_curves(self, curves, across, up):
        look = colours()
        right = max(float(curve.x[-1]) for curve in curves)
        top = max(float(curve.y.max()) for curve in curves)
        low = min(float(curve.y.min()) for curve in curves)
        span = (top - low) or abs(top) or 1.0
        for number, curve in enumerate(curves):
            shade = getattr(look, SHADE[curve.weight])
            self.line(curve.x, curve.y, shade, 2.2 if curve.weight == "main" else 1.6)
            self.key(across * right, low + span * up, curve.words, shade, number)
        self.setXRange(0.0, right, padding=0.02)
        self.setYRange(low if low > 0.4 * top else 0.0, top + 0.05 * span, padding=0.02)

    def _draw_spans(self, spans):
        look = colours()
        most = max(span.high for span in spans)
        for number, span in enumerate(spans):
            shade = look.alternating if span.low else look.muted
            height = len(spans) - number
            self.steps(
                np.array([span.low, span.high]), np.array([height - 0.55]), shade, base=height - 0.85, alpha=170
            )
            self.words(max(span.low, 0.01 * most), height - 0.52, span.words, look.ink)
        self.setXRange(0.0, most * 1.05, padding=0.0)
        self.setYRange(0.0, len(spans) + 0.2, padding=0.0)
