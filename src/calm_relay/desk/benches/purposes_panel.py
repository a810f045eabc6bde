"""What matters to the customer: one slider a purpose."""

from pydantic import ValidationError
from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import QGridLayout, QLabel, QSlider, QWidget

from calm_relay.desk.widgets.field_form import Field, FieldForm, field_of
from calm_relay.desk.widgets.label import Label, tip
from calm_relay.desk.widgets.ranged_spin import RangedSpin
from calm_relay.desk.widgets.theme import font
from calm_relay.job.field_range import FieldRange, range_of
from calm_relay.job.model import Job, MustHaves, Purpose
from calm_relay.planning.common.refused import refused_words

LABELS = {
    "lower_bills": "Money over the years",
    "self_sufficiency": "Raise self-sufficiency",
    "ride_through_outage": "Keep the lights on",
    "low_outlay": "Low outlay",
    "gentle_works": "Leave what works alone",
}
MOST = 10


def _outages_at_least(job: Job) -> float | None:
    least = job.must_haves.outages_at_least
    return None if least is None else 100.0 * least


def _with_outages_at_least(job: Job, percent: float | None) -> Job:
    share = None if percent is None else percent / 100.0
    return job.with_(must_haves=job.must_haves.with_(outages_at_least=share))


OUTLAY_AT_MOST = "Outlay at most"
OUTAGES_AT_LEAST = "Outages ridden through, at least"


class PurposesPanel(QWidget):
    """Edits `Job.purposes`, the hours and the hard lines; emits `edited` with the new job and the edit's name."""

    edited = Signal(object, str)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._job: Job | None = None
        self.sliders: dict[str, QSlider] = {}
        self._values: dict[str, QLabel] = {}
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(3)
        title = Label("What matters")
        title.setFont(font(10.5, strong=True))
        grid.addWidget(title, 0, 0, 1, 3)
        for row, (kind, text) in enumerate(LABELS.items(), 1):
            slider = QSlider(Qt.Orientation.Horizontal)
            slider.setRange(0, MOST)
            slider.setPageStep(2)
            slider.setAccessibleName(f"Weight of: {text}")
            slider.setToolTip(tip(f"{text}: weight 0 (does not matter) to {MOST}"))
            slider.valueChanged.connect(lambda value, kind=kind: self._on_value(kind, value))
            value = Label("0")
            value.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            value.setMinimumWidth(18)
            grid.addWidget(Label(text), row, 0)
            grid.addWidget(slider, row, 1)
            grid.addWidget(value, row, 2)
            self.sliders[kind], self._values[kind] = slider, value
        self.hours = RangedSpin(
            "Hours that an outage should be ridden through", " h", range_of(Job, "outage_hours")
        )
        self.hours.limit_to(1, 168)
        self.hours.accepted.connect(self._on_hours)
        grid.addWidget(Label("Outage to ride through"), len(LABELS) + 1, 0)
        grid.addWidget(self.hours, len(LABELS) + 1, 1, Qt.AlignmentFlag.AlignLeft)
        self.must_haves = FieldForm(
            (
                field_of(OUTLAY_AT_MOST, "", "must_haves", MustHaves, "outlay_at_most", 0, money=True),
                Field(
                    OUTAGES_AT_LEAST,
                    "%",
                    FieldRange(low=0.0, high=100.0, optional=True),
                    _outages_at_least,
                    _with_outages_at_least,
                    0,
                ),
            ),
            across=1,
        )
        self.must_haves.edited.connect(self.edited)
        must = Label("Must have")
        must.setFont(font(10.5, strong=True))
        grid.addWidget(must, len(LABELS) + 2, 0, 1, 3)
        grid.addWidget(self.must_haves, len(LABELS) + 3, 0, 1, 3)
        self.problem = Label()
        self.problem.setObjectName("refused")
        self.problem.setWordWrap(True)
        self.problem.hide()
        grid.addWidget(self.problem, len(LABELS) + 4, 0, 1, 3)
        grid.setColumnStretch(1, 1)

    def show_job(self, job: Job) -> None:
        """Shows a job's weights without emitting edits."""
        self._job = job
        for kind, slider in self.sliders.items():
            blocker = QSignalBlocker(slider)
            weight = job.weight(kind)
            slider.setValue(round(weight))
            self._values[kind].setText(f"{weight:g}")
            del blocker
        self.hours.show_value(round(job.outage_hours))
        self.hours.setEnabled(job.supply.on_grid)
        self.must_haves.show_job(job)
        self.problem.hide()

    def _on_hours(self, hours):
        before = self._job.outage_hours
        self.edited.emit(self._job.with_(outage_hours=float(hours)), f"Outage of {before:g} h to {hours} h")

    def _on_value(self, kind, value):
        before = self._job.weight(kind)
        kept = [purpose for purpose in self._job.purposes if purpose.kind != kind]
        order = list(LABELS)
        purposes = sorted([*kept, Purpose(kind=kind, weight=value)], key=lambda purpose: order.index(purpose.kind))
        try:
            job = self._job.with_(purposes=tuple(purposes))
        except ValidationError as error:
            self.show_job(self._job)
            self.problem.setText(f"{refused_words(error, Job)}.")
            self.problem.show()
        else:
            self.edited.emit(job, f"{LABELS[kind]}: weight {before:g} to {value}")
