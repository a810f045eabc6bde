"""Rows of number fields that edit a job."""

from collections.abc import Callable
from dataclasses import dataclass

from pydantic import ValidationError
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QLabel, QWidget

from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.quantity_field import QuantityField
from calm_relay.job.assumed import confirmed
from calm_relay.job.base import Model
from calm_relay.job.field_range import FieldRange, range_of
from calm_relay.job.field_words import lower_first, plain_type
from calm_relay.job.model import Job
from calm_relay.planning.common.refused import refused_words


@dataclass(frozen=True)
class Field:
    """One number of the job: how it is named, its range, how it is read and written, and whether it is money.

    `stands` says whether the job has such a number; `empty` is what an empty field means, `path` where it stands.
    """

    name: str
    unit: str
    span: FieldRange
    get: Callable[[Job], float | None]
    put: Callable[[Job, float | None], Job]
    decimals: int = 2
    money: bool = False
    stands: Callable[[Job], bool] = lambda _: True
    empty: str = "none"
    path: str = ""


def field_of(
    label: str, unit: str, part: str, model: type[Model], name: str, decimals: int = 2, *, money: bool = False
) -> Field:
    """A number of a part of the job, with the range that the part's model states."""

    def get(job: Job) -> float | None:
        return getattr(getattr(job, part), name, None)

    whole = plain_type(model, name) is int

    def put(job: Job, value: float | None) -> Job:
        kept = round(value) if whole and value is not None else value
        return job.with_(**{part: getattr(job, part).with_(**{name: kept})})

    return Field(label, unit, range_of(model, name), get, put, decimals, money, path=f"{part}.{name}")


class FieldForm(QWidget):
    """Fields in rows of `across`; emits `edited` with the new job and the edit's name."""

    edited = Signal(object, str)

    def __init__(self, fields, across: int = 3, parent=None):
        super().__init__(parent)
        self._job = None
        self.editors: dict[str, QuantityField] = {}
        self._labels: dict[str, QLabel] = {}
        self._fields = tuple(fields)
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(5)
        for number, field in enumerate(self._fields):
            editor = QuantityField(field.name, field.unit, field.span, field.decimals)
            editor.setFixedWidth(110)
            editor.accepted.connect(lambda value, field=field: self._on_value(field, value))
            editor.said_again.connect(lambda field=field: self._on_said_again(field))
            editor.refused.connect(self._show_text)
            label = Label(field.name)
            label.setBuddy(editor)
            self._labels[field.name] = label
            row, column = divmod(number, across)
            grid.addWidget(label, row, 2 * column)
            grid.addWidget(editor, row, 2 * column + 1)
            self.editors[field.name] = editor
        self.problem = Label()
        self.problem.setObjectName("refused")
        self.problem.setWordWrap(True)
        self.problem.hide()
        grid.addWidget(self.problem, len(self._fields) // across + 1, 0, 1, 2 * across)
        grid.setColumnStretch(2 * across, 1)

    def show_job(self, job) -> None:
        """Shows a job's numbers."""
        self._job = job
        for field in self._fields:
            value = field.get(job)
            if field.money:
                self._labels[field.name].setText(f"{field.name}, {job.tariff.currency}")
            self.editors[field.name].show_value(value)
            stands = field.stands(job) and (value is not None or field.span.optional)
            self.editors[field.name].setEnabled(stands)
            self.editors[field.name].setPlaceholderText(field.empty if stands and field.span.optional else "")
        self.problem.hide()

    def _on_value(self, field, value):
        before = self.editors[field.name].text_of(field.get(self._job))
        try:
            job = field.put(self._job, value)
        except ValidationError as error:
            self.show_job(self._job)
            self._show_text(f"{field.name}: {lower_first(refused_words(error, Job))}.")
        else:
            after = self.editors[field.name].text()
            self.edited.emit(job, f"{field.name} {before or 'none'} to {after or 'none'}")

    def _on_said_again(self, field):
        self.problem.hide()
        job = confirmed(self._job, field.path)
        if job is not self._job:
            self.edited.emit(job, f"{field.name} confirmed")

    def _show_text(self, problem):
        self.problem.setText(problem)
        self.problem.show()
