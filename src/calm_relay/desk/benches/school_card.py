"""One school's answer to an outage: what it keeps, what it leaves and why, what it costs, and its use."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from calm_relay.desk.widgets.theme import font
from calm_relay.desk.widgets.wording import keep_units

HEADS = {"critical-loads board": "Critical-loads board", "whole house with shedding": "Whole house, shedding"}


class SchoolCard(QWidget):
    """Tells a `planning.proposal.Proposal`; emits `used` when it is to become the job's board."""

    used = Signal(object)

    def __init__(self, school: str, parent=None):
        super().__init__(parent)
        self.school = school
        self.proposal = None
        self.head, self.text = QLabel(HEADS[school]), QLabel()
        self.head.setFont(font(9.2, strong=True))
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

    def show_proposal(self, found, job) -> None:
        """Tells it, or hides where there is none."""
        self.proposal = found
        self.setVisible(found is not None)
        if found is None:
            return
        self.use.setEnabled(found.holds and found.apply(job).board != job.board)
        self.head.setText(f"{HEADS[self.school]}, {job.tariff.currency} {found.cost:,.0f}")
        run, kept = found.rehearsal, ", ".join(_kept(name, found) for name in found.kept)
        if found.holds:
            told = f"Lives through the {run.flows.shape[0] * run.step_h:g} h: {kept}"
        elif run is None or not found.kept:
            told = "No circuit lives through it."
        else:
            told = f"Does not live through it, even with {kept} alone. {run.ended_by}"
        if found.left:
            word = "Left out" if self.school == "critical-loads board" else "Dropped at once"
            told += f"<br><b>{word}</b>: " + "; ".join(f"{name}, {why}" for name, why in found.left)
        self.text.setText(keep_units(told))


def _kept(name, found):
    """A circuit, with the charge below which it is shed."""
    level = found.shed.get(name, 0.0)
    return f"{name} (shed below {level:.0%})" if 0.0 < level < 1.0 else name
