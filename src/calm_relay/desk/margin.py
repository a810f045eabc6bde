"""The margin: findings as notes, worst first, each with the mends that answer it."""

from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from calm_relay.desk.line_picture import paint_mark
from calm_relay.desk.theme import SEVERITY_WORD, colours, font
from calm_relay.desk.wording import keep_units
from calm_relay.planning.severity import Severity

WIDTH = 306


class _Mark(QWidget):
    def __init__(self, severity):
        super().__init__()
        self._severity = severity
        self.setFixedSize(20, 18)

    def paintEvent(self, event):
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_mark(painter, QPointF(10, 9), self._severity, colours())


class Note(QFrame):
    """One finding; `pointed` tells its station while the pointer is on it, `mend_chosen` the mend taken."""

    pointed = Signal(str)
    mend_chosen = Signal(object)

    def __init__(self, finding, parent=None):
        super().__init__(parent)
        self.setObjectName("card")
        self.finding = finding
        word = SEVERITY_WORD[finding.severity]
        self.setAccessibleName(f"{word}, {finding.station}: {finding.sentence}")
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 7, 10, 8)
        column.setSpacing(5)
        head = QHBoxLayout()
        head.setSpacing(4)
        head.addWidget(_Mark(finding.severity))
        title = QLabel(f"{word} · {finding.station}")
        title.setFont(font(8.5, strong=True))
        title.setStyleSheet(f"color: {colours().of(finding.severity)};")
        head.addWidget(title, 1)
        column.addLayout(head)
        sentence = QLabel(keep_units(finding.sentence))
        sentence.setWordWrap(True)
        sentence.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        column.addWidget(sentence)
        self.setToolTip(f"Rule: {finding.rule}")
        for mend in finding.mends:
            button = QPushButton(mend.label)
            button.setAccessibleName(f"Mend: {mend.label}")
            button.clicked.connect(lambda _=False, mend=mend: self.mend_chosen.emit(mend))
            column.addWidget(button)

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

    def __init__(self, cautions, parent=None):
        super().__init__(parent)
        self.setFixedWidth(WIDTH)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 8, 8, 6)
        column.setSpacing(6)
        self._title = QLabel("What to know")
        self._title.setFont(font(11.5, strong=True))
        column.addWidget(self._title)
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._scroll.setAccessibleName("Findings, worst first")
        column.addWidget(self._scroll, 1)
        caution = QLabel(cautions[0])
        caution.setObjectName("quiet")
        caution.setWordWrap(True)
        caution.setFont(font(8))
        caution.setToolTip("\n".join(cautions))
        caution.setAccessibleName("Caution")
        caution.setAccessibleDescription(" ".join(cautions))
        column.addWidget(caution)
        self.notes: list[Note] = []
        self._show([])

    def show_findings(self, findings) -> None:
        """Shows findings in the order given."""
        notes = []
        for finding in findings:
            note = Note(finding)
            note.pointed.connect(self.station_pointed)
            note.mend_chosen.connect(self.mend_chosen)
            notes.append(note)
        self._show(notes)

    def show_problem(self, where: str, problem: str) -> None:
        """Shows why the job cannot be planned, in place of findings."""
        card = QFrame()
        card.setObjectName("card")
        column = QVBoxLayout(card)
        title = QLabel("This job cannot be planned")
        title.setFont(font(9.5, strong=True))
        title.setStyleSheet(f"color: {colours().of(Severity.STOP)};")
        text = QLabel(f"{where}: {problem}" if where else problem)
        text.setWordWrap(True)
        column.addWidget(title)
        column.addWidget(text)
        card.setAccessibleName(f"This job cannot be planned. {text.text()}")
        self._show([card])

    def find(self, station: str) -> None:
        """Scrolls to the first note of a station."""
        for note in self.notes:
            if note.finding.station == station:
                self._scroll.ensureWidgetVisible(note, 0, 8)
                return

    def _show(self, cards):
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 6, 0)
        column.setSpacing(7)
        for card in cards:
            column.addWidget(card)
        column.addStretch(1)
        self._scroll.setWidget(inside)
        self.notes = [card for card in cards if isinstance(card, Note)]
