"""From module to home, straight and through the battery: what is left of 100 after each stage."""

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from calm_relay.desk.widgets.label import tip
from calm_relay.desk.widgets.painted import painted
from calm_relay.desk.widgets.theme import colours, font

LEFT, TOP, GAP = 8.0, 24.0, 32.0
HEIGHT = 84.0


class PathsPicture(QWidget):
    """Two falls of bars for an option; every bar is what is left, its red end what that stage takes."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self._paths = None
        self._heads = ("", "")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("What is left from module to home, stage by stage")

    def show_paths(self, paths, letter: str, source: str) -> None:
        """Shows `planning.operation.path_efficiency.Paths`; None clears the picture."""
        self._paths = paths
        summary = []
        if paths is not None:
            for name, stages, whole in (
                ("straight", paths.straight, paths.direct),
                ("through the battery", paths.by_battery, paths.through_battery),
            ):
                parts = ", ".join(f"{stage.name} {stage.efficiency:.1%}" for stage in stages)
                summary.append(
                    f"{letter}, {name}: {parts} = {whole:.1%}" if stages else f"{letter}, {name}: nothing"
                )
        self._heads = (
            f"{letter}: from module to home, straight",
            f"{letter}: from module through the battery to home",
        )
        self.setAccessibleDescription("; ".join(summary))
        self.setToolTip(tip(f"From: {source}; a stage is the year's energy out over energy in"))
        self.update()

    def sizeHint(self) -> QSize:
        """Both falls under each other."""
        return QSize(560, round(2 * (TOP + HEIGHT + GAP)))

    def minimumSizeHint(self) -> QSize:
        """The least at which the names can be read."""
        return QSize(400, self.sizeHint().height())

    @painted
    def paintEvent(self, painter):
        """Paints both falls."""
        if self._paths is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        falls = (self._paths.straight, self._paths.direct), (self._paths.by_battery, self._paths.through_battery)
        for number, ((stages, whole), head) in enumerate(zip(falls, self._heads, strict=True)):
            self._fall(painter, stages, whole, head, number * (TOP + HEIGHT + GAP))

    def _fall(self, painter, stages, whole, head, top):
        look = colours()
        painter.setPen(QColor(look.ink))
        painter.setFont(font(9.2, strong=True))
        title = f"{head}: {whole:.1%}" if whole is not None else f"{head}: nothing flowed that way"
        painter.drawText(QRectF(LEFT, top, self.width(), 20), Qt.AlignmentFlag.AlignLeft, title)
        if not stages:
            return
        steps = [("offered", 1.0), *((stage.name, stage.efficiency) for stage in stages)]
        width = min((self.width() - 2 * LEFT) / len(steps), 96.0)
        base, tall = top + TOP + HEIGHT, HEIGHT - 30
        # Losses of a few per cent must be seen: the scale starts where nothing is lost of most paths.
        floor = min(0.6, max(0.0, (whole or 0.6) - 0.12))
        left, level = LEFT, 1.0
        for number, (name, efficiency) in enumerate(steps):
            after = level * efficiency
            height = tall * (after - floor) / (1 - floor)
            lost = tall * (level - after) / (1 - floor)
            last = number == len(steps) - 1
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(look.ok if last else look.muted))
            painter.drawRect(QRectF(left + 5, base - height, width - 10, height))
            painter.setBrush(QColor(look.stop))
            painter.drawRect(QRectF(left + 5, base - height - lost, width - 10, lost))
            painter.setPen(QColor(look.ink))
            painter.setFont(font(7.8, strong=last or number == 0))
            painter.drawText(
                QRectF(left, base - height - lost - 15, width, 14), Qt.AlignmentFlag.AlignCenter, f"{after:.1%}"
            )
            painter.setFont(font(7.4))
            painter.setPen(QColor(look.quiet))
            words = name if number == 0 else f"{name} −{1 - efficiency:.1%}"
            flags = Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap
            painter.drawText(QRectF(left, base + 3, width, GAP), flags, words)
            left, level = left + width, after
        painter.setPen(QPen(QColor(look.rule), 1))
        painter.drawLine(round(LEFT), round(base), round(left), round(base))
        painter.setFont(font(7))
        painter.setPen(QColor(look.quiet))
        painter.drawText(
            QRectF(self.width() - 130, top + 3, 122, 16), Qt.AlignmentFlag.AlignRight, f"bars start at {floor:.0%}"
        )
