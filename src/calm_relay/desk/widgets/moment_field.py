"""A day and a time of the year; what is pointed at can be typed over."""

from PySide6.QtCore import QDate, QDateTime, QEvent, QSignalBlocker, QTime, QTimer, Signal
from PySide6.QtWidgets import QDateTimeEdit

STEPS_A_DAY = 96
PAUSE_MS = 350


class MomentField(QDateTimeEdit):
    """A step of a quarter of an hour in a year; emits `settled` a moment after it was last changed by hand."""

    settled = Signal()

    def __init__(self, name: str, parent=None):
        super().__init__(parent)
        self.setDisplayFormat("d MMM  HH:mm")
        self.setAccessibleName(name)
        self.lineEdit().installEventFilter(self)
        self._pause = QTimer(self, singleShot=True, interval=PAUSE_MS)
        self._pause.timeout.connect(self.settled)
        self.dateTimeChanged.connect(lambda _: self._pause.start())

    def eventFilter(self, watched, event):
        """A click selects the day, the month, the hour or the minutes, so that typing replaces it."""
        if event.type() == QEvent.Type.MouseButtonRelease:
            QTimer.singleShot(0, lambda: self.setSelectedSection(self.currentSection()))
        return super().eventFilter(watched, event)

    def limit_to(self, year: int) -> None:
        """Keeps to one year."""
        first, last = QDateTime(QDate(year, 1, 1), QTime(0, 0)), QDateTime(QDate(year, 12, 31), QTime(23, 45))
        with QSignalBlocker(self):
            self.setDateTimeRange(first, last)

    @property
    def step(self) -> int:
        """The quarter-hour of the year."""
        stamp = self.dateTime()
        minutes = stamp.time().hour() * 60 + stamp.time().minute()
        return (stamp.date().dayOfYear() - 1) * STEPS_A_DAY + minutes // 15

    def show_step(self, step: int) -> None:
        """Shows a quarter-hour of its year without a signal."""
        day, quarter = divmod(step, STEPS_A_DAY)
        date = QDate(self.minimumDate().year(), 1, 1).addDays(day)
        self._pause.stop()
        with QSignalBlocker(self):
            self.setDateTime(QDateTime(date, QTime(quarter // 4, quarter % 4 * 15)))
