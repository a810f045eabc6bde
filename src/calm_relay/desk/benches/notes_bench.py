"""The bench Notes: what the job is called, whose it is, what was seen on site, photos and papers."""

from typing import get_args

from pydantic import ValidationError
from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import QGridLayout, QLineEdit, QPlainTextEdit

from calm_relay.desk.benches.attachment_list import AttachmentList
from calm_relay.desk.benches.bench import Bench
from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import Label
from calm_relay.job.base import MOST_PROSE
from calm_relay.job.model import Job, JobState
from calm_relay.planning.common.refused import refused_words

SETTLE_MS = 800


class _Notes(QPlainTextEdit):
    """Notes that take no more text than a job holds, and say so.

    Signals
    -------
    refused : str
        Why what was pasted was not taken.
    """

    refused = Signal(str)

    def insertFromMimeData(self, source) -> None:
        """Takes what is pasted where there is room for it."""
        text = source.text()
        if len(text) + self.document().characterCount() > MOST_PROSE:
            self.refused.emit(
                f"notes: {len(text):,} characters are more than fit; wanted at most {MOST_PROSE:,} in all, or the text "
                "as a file among the photos and papers"
            )
            return
        super().insertFromMimeData(source)


class NotesBench(Bench):
    """Edits name, customer, state, follow-up and notes; typing becomes one edit when it pauses."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self._job = None
        self.name, self.customer, self.notes = QLineEdit(), QLineEdit(), _Notes()
        self.notes.setTabChangesFocus(True)
        self.problem = Label()
        self.problem.setObjectName("refused")
        grid = QGridLayout(self)
        grid.setContentsMargins(16, 10, 14, 8)
        self.state = ChoiceField("State", [(state, state) for state in get_args(JobState)])
        self.state.taken.connect(lambda value: self._put(f"Job {value}", state=value))
        self.follow_up = QLineEdit()
        self.follow_up.setPlaceholderText("no day, or year-month-day, such as 2027-03-15")
        self.follow_up.editingFinished.connect(self._take_day)
        for row, (text, editor) in enumerate(
            (
                ("&Name", self.name),
                ("&Customer", self.customer),
                ("St&ate", self.state),
                ("Follow &up on", self.follow_up),
                ("No&tes", self.notes),
            )
        ):
            label = Label(text)
            label.setBuddy(editor)
            editor.setAccessibleName(text.replace("&", ""))
            grid.addWidget(label, row, 0, Qt.AlignmentFlag.AlignTop)
            grid.addWidget(editor, row, 1)
        self.photos = AttachmentList()
        self.photos.edited.connect(self.edited)
        label = Label("P&hotos")
        label.setBuddy(self.photos.list)
        grid.addWidget(label, 5, 0, Qt.AlignmentFlag.AlignTop)
        grid.addWidget(self.photos, 5, 1)
        grid.addWidget(self.problem, 6, 1)
        grid.setRowStretch(4, 1)
        grid.setRowStretch(5, 1)
        self._pause = QTimer(self, singleShot=True, interval=SETTLE_MS)
        self._pause.timeout.connect(self.take)
        self.name.editingFinished.connect(self.take)
        self.customer.editingFinished.connect(self.take)
        self.notes.textChanged.connect(self._pause.start)
        self.notes.refused.connect(self.problem.setText)

    def show_job(self, job) -> None:
        """Shows the job's words, leaving the cursor where it is."""
        self._job = job
        self.name.setText(job.name)
        self.customer.setText(job.customer)
        self.state.show_value(job.state)
        if not self.follow_up.hasFocus():
            self.follow_up.setText(job.follow_up or "")
        if self.notes.toPlainText() != job.notes:
            self.notes.setPlainText(job.notes)
        self._pause.stop()
        session = getattr(self.window(), "session", None)
        self.photos.show_job(job, session.folder if session else None)

    def commit(self) -> None:
        """What is typed becomes an edit at once."""
        if self._job is not None:
            self.take()
            self._take_day()

    def _take_day(self):
        day = self.follow_up.text().strip() or None
        if self._job is not None and day != self._job.follow_up:
            self._put("Follow-up", follow_up=day)

    def _put(self, label, **changes):
        try:
            job = self._job.with_(**changes)
        except ValidationError as error:
            self.show_job(self._job)
            self.problem.setText(f"{refused_words(error, Job)}.")
        else:
            self.problem.clear()
            self.edited.emit(job, label)

    def take(self) -> None:
        """Makes what is typed an edit."""
        self._pause.stop()
        typed = {"name": self.name.text(), "customer": self.customer.text(), "notes": self.notes.toPlainText()}
        changed = [key for key, text in typed.items() if text != getattr(self._job, key)]
        if not changed:
            return
        self._put(f"{' and '.join(changed).capitalize()} written", **typed)
