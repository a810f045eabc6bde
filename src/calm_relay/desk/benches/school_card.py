"""One school's answer to an outage: what it keeps, what it leaves and why, what it costs, and its use."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from calm_relay.desk.widgets.label import Label, RichLabel, rich
from calm_relay.desk.widgets.theme import font
from calm_relay.desk.widgets.wording import keep_units

HEADS = {"critical-loads board": "Critical-loads board", "whole house with shedding": "Whole house, shedding"}


class SchoolCard(QWidget):
    """Shows a `planning.studies.backup_board.Proposal`; emits `used` when it is to become the job's board."""

    used = Signal(object)

    def __init__(self, school: str, parent=None):
        super().__init__(parent)
        self.school = school
        self.proposal = None
        self.head, self.text = Label(HEADS[school]), RichLabel()
        self.head.setFont(font(9.2, strong=True))
        self.head.setWordWrap(True)
        self.text.setFont(font(8.3))
        self.text.setWordWrap(True)
        self.text.setAccessibleName(f"Circuits of the {school}")
        self.use = QPushButton("Use")
        self.use.setObjectName("small")
        self.use.setAccessibleName(f"Use the {school}")
        self.use.clicked.connect(lambda _=False: self.used.emit(self.proposal))
        row = QHBoxLayout()
        row.addWidget(self.head, 1)
        row.addWidget(self.use)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(1)
        column.addLayout(row)
        column.addWidget(self.text)

    def show_proposal(self, result, job) -> None:
        """Tells it, or hides where there is none."""
        self.proposal = result
        self.setVisible(result is not None)
        if result is None:
            return
        self.use.setEnabled(result.holds and result.apply(job).backup_board != job.backup_board)
        self.head.setText(f"{HEADS[self.school]}, {job.tariff.currency}\u00a0{result.cost:,.0f}")
        run, kept = result.rehearsal, ", ".join(_kept(name, result) for name in result.kept)
        if result.holds:
            summary: str = f"Rides through the {run.steps * run.step_h:g} h: {kept}"
        elif run is None or not result.kept:
            summary = "No circuit rides through it."
        else:
            summary = f"Does not ride through it, even with {kept} alone. {run.ended_by}"
        if result.left:
            word = "Left out" if self.school == "critical-loads board" else "Dropped at once"
            left = "; ".join(f"{name}, {why}" for name, why in result.left)
            summary = rich("{}<br><b>{}</b>: {}", summary, word, left)
        self.text.setText(keep_units(summary))


def _kept(name, result):
    """A circuit, with the charge below which it is shed."""
    level = result.shed.get(name, 0.0)
    return f"{name} (shed below {level:.0%})" if 0.0 < level < 1.0 else name
