"""The bench Survey: what is measured, assumed and missing, and what each assumed thing could change."""

from functools import partial
from pathlib import Path

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QColor, QPen
from PySide6.QtWidgets import (
    QAbstractItemView,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QStyledItemDelegate,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
)

from calm_relay.desk.benches.bench import Bench
from calm_relay.desk.widgets.label import Label, tip
from calm_relay.desk.widgets.theme import colours, font
from calm_relay.planning.common.wanted import wanted_words

HEADS = ("What", "As it stands", "It is", "Between", "Moves the saving by", "Backup", "Best fit")
SAVING = 4
WAIT = "Turning everything that is assumed …"
RANGE = Qt.ItemDataRole.UserRole
# Room for the amount beside a bar, and the most that words take of the width.
AMOUNT, WIDEST = 62, 168


class _SwingBar(QStyledItemDelegate):
    """A bar from the lowest to the highest saving on one scale for all rows, today's as a mark."""

    scale = (0.0, 1.0)

    def paint(self, painter, option, index):
        """Draws it."""
        span = index.data(RANGE)
        if span is None:
            super().paint(painter, option, index)
            return
        look = colours()
        low, high = self.scale
        box = QRectF(option.rect).adjusted(6, 4, -6 - AMOUNT, -4)

        def at(value):
            return box.left() + box.width() * (value - low) / max(high - low, 1e-9)

        painter.save()
        painter.setPen(QPen(QColor(look.rule), 1))
        painter.drawLine(box.left(), box.center().y(), box.right(), box.center().y())
        first, last, today = span
        bar = QRectF(at(first), box.top() + 3, max(at(last) - at(first), 2.0), box.height() - 6)
        painter.fillRect(bar, QColor(look.light))
        painter.setPen(QPen(QColor(look.ink), 1.6))
        painter.drawLine(at(today), box.top(), at(today), box.bottom())
        amount = QRectF(box.right() + 6, box.top(), AMOUNT - 6, box.height())
        painter.setFont(font(8.4))
        painter.drawText(amount, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, index.data())
        painter.restore()


class SurveyBench(Bench):
    """Shows `planning.studies.survey`; the next thing worth measuring stands on top.

    Signals
    -------
    station_wanted : str
        Where a thing of the list is edited.
    sheet_wanted : object, object
        The result on paper, and the file's path.
    """

    station_wanted = Signal(str)
    sheet_wanted = Signal(object, object)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._view = self.result = None
        self._stale = False
        self.summary = Label(WAIT)
        self.summary.setWordWrap(True)
        self.summary.setFont(font(10, strong=True))
        self.table = QTableWidget(0, len(HEADS))
        self.table.setAccessibleName("What is measured, assumed and missing; Return opens where it is edited")
        self.table.setHorizontalHeaderLabels(HEADS)
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(25)
        self.table.setShowGrid(False)
        self.table.setTabKeyNavigation(False)
        self.table.setFont(font(8.8))
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self._bar = _SwingBar(self.table)
        self.table.setItemDelegateForColumn(SAVING, self._bar)
        self.table.itemActivated.connect(self._on_activated)
        self.print = QPushButton("Site-visit sheet…")
        self.print.setObjectName("small")
        self.print.setEnabled(False)
        self.print.clicked.connect(lambda _=False: self._on_print())
        top = QHBoxLayout()
        top.addWidget(self.summary, 1)
        top.addWidget(self.print, 0, Qt.AlignmentFlag.AlignTop)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 10, 14, 8)
        column.addLayout(top)
        column.addWidget(self.table, 1)

    @property
    def settled(self) -> bool:
        """Whether the swings of the present plan are shown."""
        return self.result is not None and not self._stale

    def show_view(self, view) -> None:
        """Asks for the swings of a new plan."""
        before = self._seen
        self.is_new(view)
        if before is not None and view.plan is before.plan:
            return
        self._view, self._stale = view, True
        if before is None:
            self.table.setRowCount(0)
        self.summary.setText(WAIT)
        self.print.setEnabled(False)
        session = getattr(self.window(), "session", None)
        folder = session.folder if session else Path.cwd()
        self.study_wanted.emit("survey", partial(_studied, folder))

    def forget(self) -> None:
        """The next view asks anew."""
        super().forget()
        self._view = None
        if self._stale:
            self.summary.setText("Called off: leave the bench and come back to try once more.")

    def show_study(self, key: str, result) -> None:
        """Lists swings, then what is missing, then what is measured."""
        if key != "survey":
            return
        self.result, self._stale = result, False
        self.print.setEnabled(True)
        currency = self._view.plan.job.tariff.currency if self._view else ""
        rest = sorted(result.rest, key=lambda entry: ("assumed", "missing", "measured").index(entry.status))
        self.table.setRowCount(len(result.swings) + len(rest))
        savings = [
            end.saving for swing in result.swings for end in (*swing.ends, swing.today) if end.saving is not None
        ]
        self._bar.scale = (min(savings), max(savings)) if savings else (0.0, 1.0)
        for row, swing in enumerate(result.swings):
            self._fill(row, swing.entry, self._texts(swing, currency), swing)
        for row, entry in enumerate(rest, len(result.swings)):
            self._fill(row, entry, ("", "", ""), None)
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(SAVING, QHeaderView.ResizeMode.Stretch)
        header.setMinimumSectionSize(60)
        for column in (1, 6):
            if self.table.columnWidth(column) > WIDEST:
                header.setSectionResizeMode(column, QHeaderView.ResizeMode.Interactive)
                self.table.setColumnWidth(column, WIDEST)
        for column in range(len(HEADS)):
            self.table.horizontalHeaderItem(column).setTextAlignment(Qt.AlignmentFlag.AlignLeft)
        missing = sum(entry.status == "missing" for entry in rest)
        asked = wanted_words(self._view.plan.job) if self._view else ""
        begun = f"No option is weighed yet. Still wanted: {asked}."
        self.summary.setText(begun if asked else _summary(result, missing, currency))

    @staticmethod
    def _texts(swing, currency):
        hours = [end.hours for end in (*swing.ends, swing.today) if end.hours is not None]
        choices = list(dict.fromkeys(end.choice for end in swing.ends))
        fits = "the same" if not swing.changes_choice else " or ".join(choices)
        return (
            f"{currency} {swing.saving:,.0f}",
            f"{min(hours):.1f} to {max(hours):.1f} h" if hours else "–",
            fits,
        )

    def _fill(self, row, entry, texts, swing):
        look = colours()
        cells = (entry.label, entry.now, entry.status, entry.between, *texts)
        for column, text in enumerate(cells):
            item = QTableWidgetItem(text)
            item.setToolTip(
                tip(f"{text}\n{entry.station}: {entry.label}. Plausible ranges: common practice, no source.")
            )
            item.setData(Qt.ItemDataRole.UserRole + 1, entry.station)
            if column == 2 and entry.status != "measured":
                item.setForeground(QColor(look.check))
            if column == SAVING and swing is not None:
                known = [end.saving for end in (*swing.ends, swing.today) if end.saving is not None]
                if known and swing.today.saving is not None:
                    item.setData(RANGE, (min(known), max(known), swing.today.saving))
                    item.setData(Qt.ItemDataRole.AccessibleTextRole, texts[0])
                    item.setToolTip(
                        tip(f"{min(known):,.0f} to {max(known):,.0f}; today {swing.today.saving:,.0f}")
                    )
            self.table.setItem(row, column, item)

    def _on_activated(self, item):
        self.station_wanted.emit(item.data(Qt.ItemDataRole.UserRole + 1))

    def _on_print(self):
        name, _ = QFileDialog.getSaveFileName(self, "Site-visit sheet", "site-visit.pdf", "PDF (*.pdf)")
        if name:
            self.sheet_wanted.emit(self.result, Path(name if name.lower().endswith(".pdf") else f"{name}.pdf"))

    def focus_first(self) -> None:
        """The list."""
        self.table.setFocus()


def _summary(result, missing, currency):
    if not result.swings:
        return f"Nothing is assumed any more; {missing} things are not known."
    first = result.swings[0]
    more = f" {missing} things are not known." if missing else ""
    if first.saving < 0.5 and not first.changes_choice:
        return f"Nothing that is assumed moves the saving or which option fits best.{more}"
    worth = f"{currency} {first.saving:,.0f} of the yearly saving hang on it"
    if first.changes_choice:
        worth = "Which option fits best hangs on it" + (
            f", and {worth.partition(' hang')[0]}" if first.saving >= 1 else ""
        )
    return f"Measure next: {first.entry.label[:1].lower()}{first.entry.label[1:]}. {worth}.{more}"


def _studied(folder, plan, option, progress):
    from calm_relay.planning.studies.survey import swings_of

    return swings_of(plan, folder, progress)
