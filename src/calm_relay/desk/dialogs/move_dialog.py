"""Another place for a job: what belonged to the old one, beside what is usual at the new, taken line by line."""

from pydantic import ValidationError
from PySide6.QtWidgets import QCheckBox, QGridLayout

from calm_relay.desk.dialogs.form_dialog import AnswerDialog
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.theme import font
from calm_relay.job.model import Job
from calm_relay.planning.common.refused import refused_words


class MoveDialog(AnswerDialog):
    """Asks about everything that belonged to the old place; `job` is the one at the new after it was accepted."""

    def __init__(self, job: Job, place, belongings, parent=None):
        super().__init__(f"To {place.name}", parent)
        self._old, self._place = job, place
        self.job: Job | None = None
        self._belongings = tuple(belongings)
        self.ticks: dict[str, QCheckBox] = {}
        grid = QGridLayout(self)
        grid.setHorizontalSpacing(14)
        grid.setVerticalSpacing(5)
        said = Label(
            f"The job moves from {job.site.place or 'its place'} to {place.label}. What is to come along?"
        )
        said.setWordWrap(True)
        grid.addWidget(said, 0, 0, 1, 3)
        for column, text in enumerate(("What belonged to the old place", "As it is now", "At the new place")):
            head = Label(text)
            head.setObjectName("quiet")
            grid.addWidget(head, 1, column)
        for row, belonging in enumerate(self._belongings, 2):
            tick = self.ticks[belonging.key] = QCheckBox(belonging.label)
            tick.setChecked(True)
            tick.setAccessibleName(f"{belonging.label}: {belonging.old} becomes {belonging.new}")
            grid.addWidget(tick, row, 0)
            new = ", ".join(part for part in (belonging.new, belonging.why) if part)
            for column, text in ((1, belonging.old), (2, new)):
                label = Label(text)
                label.setWordWrap(True)
                label.setMinimumWidth(210)
                label.setFont(font(9))
                grid.addWidget(label, row, column)
        last = len(self._belongings) + 2
        grid.addWidget(self.problem, last, 0, 1, 3)
        grid.addWidget(self.answer_buttons(self.take), last + 1, 0, 1, 3)
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(2, 1)
        self.setMinimumWidth(720)

    def take(self) -> None:
        """Closes with the moved job; says what contradicts when it cannot be."""
        from calm_relay.planning.site.move import move

        taken = tuple(one for one in self._belongings if self.ticks[one.key].isChecked())
        try:
            self.job = move(self._old, self._place, taken)
        except ValidationError as error:
            self.show_text(f"{refused_words(error, Job)}.")
        else:
            self.accept()
