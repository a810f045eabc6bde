"""The margin: findings as notes, worst first, each with the mends that answer it."""

from PySide6.QtCore import QPointF, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QPainter, QPalette
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from calm_relay.desk.energy_path.path_picture import paint_mark
from calm_relay.desk.widgets.label import Label, tip
from calm_relay.desk.widgets.painted import painted
from calm_relay.desk.widgets.theme import SEVERITY_WORD, colours, font
from calm_relay.desk.widgets.wording import keep_units
from calm_relay.planning.common.severity import Severity

WIDTH = 306
PADDING = 20
# Notes that are surely in view, and how many more are first shown at a time.
IN_VIEW, AT_ONCE = 8, 6


class _Mark(QWidget):
    def __init__(self):
        super().__init__()
        self.severity = Severity.OK
        self.setFixedSize(20, 18)

    @painted
    def paintEvent(self, painter):
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_mark(painter, QPointF(10, 9), self.severity, colours())


def _ink(label, colour):
    """Gives a label a colour; a palette is far cheaper than a style sheet of its own."""
    palette = label.palette()
    palette.setColor(QPalette.ColorRole.WindowText, QColor(colour))
    label.setPalette(palette)


class MendButton(QPushButton):
    """A mend's label, on two lines where the margin is too narrow for one; what is longer yet is whole in the tip."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self._label = ""

    def show_label(self, label: str) -> None:
        """Shows a label."""
        if label == self._label:
            return
        self._label = label
        self.setAccessibleName(f"Mend: {label}")
        self._cut()

    def resizeEvent(self, event):
        """Cuts its words anew."""
        super().resizeEvent(event)
        self._cut()

    def _cut(self):
        letters, room = self.fontMetrics(), self.width() - PADDING
        first, rest = self._label, ""
        while letters.horizontalAdvance(first) > room and " " in first:
            first, _, word = first.rpartition(" ")
            rest = f"{word} {rest}".strip()
        lines = [letters.elidedText(line, Qt.TextElideMode.ElideRight, room) for line in (first, rest) if line]
        # An ampersand of a name marks no letter for the keyboard.
        self.setText("\n".join(lines).replace("&", "&&"))
        self.setToolTip(tip(self._label if " ".join(lines) != self._label else ""))
        self.updateGeometry()


class Note(QFrame):
    """One finding; `pointed` tells its station while the pointer is on it, `mend_chosen` the mend taken."""

    pointed = Signal(str)
    mend_chosen = Signal(object)

    def __init__(self, parent=None):
        super().__init__(parent)
        self.setObjectName("card")
        self.finding = None
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(10, 7, 10, 8)
        self._column.setSpacing(5)
        head = QHBoxLayout()
        head.setSpacing(4)
        self._mark = _Mark()
        head.addWidget(self._mark)
        self._title = Label()
        self._title.setFont(font(8.5, strong=True))
        head.addWidget(self._title, 1)
        self._column.addLayout(head)
        self._sentence = Label()
        self._sentence.setWordWrap(True)
        self._sentence.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._column.addWidget(self._sentence)
        self._buttons: list[MendButton] = []

    def show_finding(self, finding) -> None:
        """Shows a finding in the place of the one before."""
        if finding == self.finding:
            return
        self.finding = finding
        word = SEVERITY_WORD[finding.severity]
        self.setAccessibleName(f"{word}, {finding.station}: {finding.sentence}")
        self.setToolTip(tip(f"Rule: {finding.rule}"))
        self._mark.severity = finding.severity
        self._mark.update()
        self._title.setText(f"{word} · {finding.station}")
        _ink(self._title, colours().of(finding.severity))
        self._sentence.setText(keep_units(finding.sentence))
        while len(self._buttons) < len(finding.mends):
            button, number = MendButton(), len(self._buttons)
            button.clicked.connect(lambda _=False, number=number: self._on_mend(number))
            self._column.addWidget(button)
            self._buttons.append(button)
        for at, button in enumerate(self._buttons):
            button.setVisible(at < len(finding.mends))
            if at < len(finding.mends):
                button.show_label(finding.mends[at].label)

    def _on_mend(self, number):
        self.mend_chosen.emit(self.finding.mends[number])

    def enterEvent(self, event):
        """Tells the finding's station."""
        self.pointed.emit(self.finding.station)
        super().enterEvent(event)

    def leaveEvent(self, event):
        """Tells that no station is meant."""
        self.pointed.emit("")
        super().leaveEvent(event)


class Margin(QWidget):
    """Findings of the option in view, and the cautions that always stand."""

    station_pointed = Signal(str)
    mend_chosen = Signal(object)

    def __init__(self, parent=None):
        super().__init__(parent)
        self.setFixedWidth(WIDTH)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 8, 8, 6)
        column.setSpacing(6)
        self._title = Label("What to know")
        self._title.setFont(font(11.5, strong=True))
        column.addWidget(self._title)
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._scroll.setAccessibleName("Findings, worst first")
        column.addWidget(self._scroll, 1)
        self.caution = Label()
        self.caution.setObjectName("quiet")
        self.caution.setWordWrap(True)
        self.caution.setFont(font(8))
        self.caution.setAccessibleName("Caution")
        column.addWidget(self.caution)
        inside = QWidget()
        self._cards = QVBoxLayout(inside)
        self._cards.setContentsMargins(0, 0, 6, 0)
        self._cards.setSpacing(7)
        self._problem = QFrame()
        self._problem.setObjectName("card")
        summary = QVBoxLayout(self._problem)
        head = Label("This job cannot be planned")
        head.setFont(font(9.5, strong=True))
        _ink(head, colours().stop)
        self._why = Label()
        self._why.setWordWrap(True)
        summary.addWidget(head)
        summary.addWidget(self._why)
        self._problem.hide()
        self._cards.addWidget(self._problem)
        self._cards.addStretch(1)
        self._scroll.setWidget(inside)
        self._pool: list[Note] = []
        self._more = QTimer(self, singleShot=True, interval=0)
        self._more.timeout.connect(self._show_more)
        self.notes: list[Note] = []

    def show_cautions(self, cautions) -> None:
        """Shows the first of the cautions, and all of them where the mouse rests on it."""
        self.caution.setText(cautions[0])
        self.caution.setToolTip(tip("\n".join(cautions)))
        self.caution.setAccessibleDescription(" ".join(cautions))

    def show_findings(self, findings, job=None) -> None:
        """Shows findings in the order given; notes are used again, which is far quicker than new ones.

        Of a `job` only those mends are offered that make another of it.
        """
        if job is not None:
            from calm_relay.planning.findings.base import offered

            findings = [offered(finding, job) for finding in findings]
        self._problem.hide()
        while len(self._pool) < len(findings):
            note = Note()
            note.pointed.connect(self.station_pointed)
            note.mend_chosen.connect(self.mend_chosen)
            note.hide()
            self._cards.insertWidget(self._cards.count() - 1, note)
            self._pool.append(note)
        self.notes = self._pool[: len(findings)]
        for note, finding in zip(self.notes, findings, strict=True):
            note.show_finding(finding)
        for note in self._pool[len(findings) :]:
            note.hide()
        for note in self.notes[:IN_VIEW]:
            note.show()
        self._show_more()

    def _show_more(self):
        """Shows notes that are below those in view, a few at each turn: the first show of one takes its time."""
        hidden = [note for note in self.notes if note.isHidden()]
        for note in hidden[:AT_ONCE]:
            note.show()
        if len(hidden) > AT_ONCE:
            self._more.start()

    def show_problem(self, where: str, problem: str) -> None:
        """Shows why the job cannot be planned, in place of findings."""
        self.show_findings(())
        self._why.setText(f"{where}: {problem}" if where else problem)
        self._problem.setAccessibleName(f"This job cannot be planned. {self._why.text()}")
        self._problem.show()

    def find(self, station: str) -> None:
        """Scrolls to the first note of a station."""
        for note in self.notes:
            if note.finding.station == station:
                self._scroll.ensureWidgetVisible(note, 0, 8)
                return
