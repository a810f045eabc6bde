"""The common scales as a widget."""

from PySide6.QtCore import QSize
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from calm_relay.desk.charts.scale_rows import ScaleRows
from calm_relay.desk.widgets.label import tip
from calm_relay.desk.widgets.painted import painted
from calm_relay.desk.widgets.theme import colours


class ScalePicture(QWidget):
    """Shows `ScaleRows`; pointed at, a row says what it measures."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self._rows = ScaleRows((), "", 0, "", colours())
        self._note = ""
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("The options on common scales")

    def show_scales(self, scales, letters, shown: int, note: str, numbers=None) -> None:
        """Draws scales; `letters` name the options, `shown` is the one in view, `note` marks yearly figures.

        `numbers` says which options have a bar.
        """
        self._note = note
        self._rows = ScaleRows(scales, letters, shown, note, colours(), numbers)
        self.setAccessibleDescription(self._rows.summary())
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        """As high as its rows."""
        return QSize(560, round(self._rows.height))

    def minimumSizeHint(self) -> QSize:
        """Least width at which values stand clear of labels."""
        return QSize(400, self.sizeHint().height())

    def mouseMoveEvent(self, event):
        """Tells what a measure means while it is pointed at."""
        scale = self._rows.row_at(event.position().y())
        if scale is not None:
            year = f"the simulated year{', ' * bool(self._note)}{self._note}"
            source = year if scale.yearly else "datasheets, the job's prices and costs"
            text = f"{scale.label}: {scale.note}\nFrom: {source}"
            QToolTip.showText(event.globalPosition().toPoint(), tip(text), self)

    @painted
    def paintEvent(self, painter):
        """Paints the rows."""
        self._rows.paint(painter, self.width())
