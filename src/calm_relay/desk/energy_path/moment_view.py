"""The moment: the year as a strip, the chosen day as a ribbon, and one button each to what is worth seeing."""

import numpy as np
from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from calm_relay.desk.energy_path.year_strip import YearStrip
from calm_relay.desk.widgets.label import Label, Markup, RichLabel, tip
from calm_relay.desk.widgets.theme import colours, font

RIBBON_HEIGHT = 122
PLAY_MS = 70


class MomentView(QWidget):
    """Emits `step_chosen` with a step of the year, or None for the whole year.

    Strip and spots of a year are studied elsewhere: `study_wanted` asks for them, `take` brings them.
    """

    step_chosen = Signal(object)
    study_wanted = Signal(str, object)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._view = None
        self._day = None
        self._spots = ()
        self._asked = self._studied = None
        self._open = False
        self._simulated = True
        self.strip = YearStrip()
        self.strip.day_chosen.connect(self._on_day)
        self.ribbon = None
        self.clock = Label("The whole year")
        self.clock.setFont(font(9, strong=True))
        self.clock.setMinimumWidth(132)
        self.summary = Label("")
        self.summary.setObjectName("quiet")
        self.summary.setFont(font(8.2))
        self.summary.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.summary.setAccessibleName("What flows at the chosen moment")
        self.buttons = {}
        self._timer = QTimer(self, interval=PLAY_MS)
        self._timer.timeout.connect(self._advance)
        self._lay_out()

    def _lay_out(self):
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 4, 8, 2)
        column.setSpacing(2)
        row = QHBoxLayout()
        row.setSpacing(5)
        for key, text in (("best", "Best day"), ("worst", "Worst evening"), ("clipped", "First clipped"),
                          ("empty", "Emptiest battery")):  # fmt: skip
            self._button(row, key, text, lambda key=key: self.go_to(key))
        self._button(row, "play", "Play", self.play)
        self._button(row, "year", "Whole year", lambda: self.step_chosen.emit(None))
        row.addSpacing(6)
        row.addWidget(self.clock)
        row.addWidget(self.summary, 1)
        column.addLayout(row)
        column.addWidget(self.strip)
        self._column = column

    def _button(self, row, key, text, slot):
        button = QPushButton(text)
        button.setObjectName("small")
        button.clicked.connect(lambda _=False: slot())
        row.addWidget(button)
        self.buttons[key] = button

    def set_open(self, opened: bool, *, strip: bool = True) -> None:
        """Shows or hides the day's ribbon, and the year's strip."""
        self._open = opened
        self.strip.setVisible(strip)
        if opened and self.ribbon is None:
            # The chart library is not needed before the first day is looked at.
            from calm_relay.desk.energy_path.day_ribbon import DayRibbon

            self.ribbon = DayRibbon()
            self.ribbon.setFixedHeight(RIBBON_HEIGHT)
            self.ribbon.step_chosen.connect(self.step_chosen)
            self._key = _Key()
            below = QHBoxLayout()
            below.setSpacing(4)
            below.addWidget(self.ribbon, 1)
            below.addWidget(self._key)
            self._column.addLayout(below)
        self._show_ribbon()
        if self._view is not None:
            self.show_view(self._view)

    @property
    def is_open(self) -> bool:
        """Whether the day's ribbon is asked for."""
        return self._open

    @property
    def ready(self) -> bool:
        """Whether what is shown is of the view shown last."""
        return self._studied is not None and self._studied is self._asked

    def show_view(self, view) -> None:
        """Shows the option in view, at the moment in view; asks for its year when plan or option is new."""
        from calm_relay.planning.views.moment import overview_of

        self._view = view
        key = (view.plan, view.shown)
        if self._asked is None or key[0] is not self._asked[0] or key[1] != self._asked[1]:
            self._asked = key
            self._day = None
            self.study_wanted.emit("moment", overview_of)
        if self.ready:
            self._draw()

    def _show_ribbon(self):
        if self.ribbon is not None:
            self.ribbon.setVisible(self._open and self._simulated)
            self._key.setVisible(self._open and self._simulated)

    def forget(self) -> None:
        """What was asked for will not come: the next view asks anew."""
        self._asked = None

    def take(self, result) -> None:
        """Takes strip and spots of the year asked for last."""
        self._studied = self._asked
        self.setEnabled(result is not None)
        self._simulated = result is not None
        self._show_ribbon()
        if result is None:
            self._spots = ()
            self._stop()
            self.strip.show_strip(None, None)
            self.clock.setText("No year")
            self.summary.setText("This option cannot be built, so it was not simulated.")
            return
        self._year, self._spots = result
        for spot in self._spots:
            self.buttons[spot.key].setEnabled(spot.step is not None)
            self.buttons[spot.key].setToolTip(tip(spot.label))
        self._draw()

    def _draw(self):
        from calm_relay.planning.views.moment import day_of

        view = self._view
        if view.built is None:
            return
        per_day = view.plan.site.calendar.steps // 365
        self.strip.show_strip(self._year, None if view.step is None else view.step // per_day)
        self.buttons["year"].setEnabled(view.step is not None)
        if view.step is None:
            self._stop()
        step = self._spots[0].step if view.step is None else view.step
        if self._open and self.ribbon is not None:
            if self._day is None or not self._day.first <= step < self._day.last:
                self._day = day_of(view.plan, view.option, step)
            self.ribbon.show_day(self._day, step)
            self._key.show_text(not view.plan.job.supply.on_grid, bool(view.plan.job.demand.controlled))
        self._show_text(view, step)

    def _show_text(self, view, step):
        wall = view.plan.site.calendar.wall[step].astype(object)
        if view.step is None:
            self.clock.setText("The whole year")
            self.summary.setText(f"shown below: the best day, {wall:%-d %b}" if self._open else "")
        else:
            self.clock.setText(f"{wall:%a %-d %b, %H:%M}")
            summary = self.ribbon.summary if self._open and self.ribbon is not None else ""
            room = self.summary.width()
            self.summary.setText(self.summary.fontMetrics().elidedText(summary, Qt.TextElideMode.ElideRight, room))
            self.summary.setToolTip(tip(f"{summary}\nFrom: simulated year, {view.plan.site.source}"))

    def go_to(self, key: str) -> None:
        """Chooses a moment worth seeing."""
        for spot in self._spots:
            if spot.key == key and spot.step is not None:
                self.step_chosen.emit(spot.step)

    def play(self) -> None:
        """Plays the day from its beginning, or stops."""
        if self._timer.isActive():
            self._stop()
            return
        if self._view is None or self._view.built is None:
            return
        if self._view.step is None:
            self.go_to("best")
        per_day = self._view.plan.site.calendar.steps // 365
        self.step_chosen.emit(self._view.step // per_day * per_day)
        self.buttons["play"].setText("Stop")
        self._timer.start()

    def _advance(self):
        step = self._view.step
        per_day = self._view.plan.site.calendar.steps // 365
        if step is None or (step + 1) % per_day == 0:
            self._stop()
        else:
            self.step_chosen.emit(step + 1)

    def _stop(self):
        self._timer.stop()
        self.buttons["play"].setText("Play")

    def _on_day(self, day):
        per_day = self._view.plan.site.calendar.steps // 365
        within = per_day // 2 if self._view.step is None else self._view.step % per_day
        self.step_chosen.emit(int(np.clip(day * per_day + within, 0, 365 * per_day - 1)))


class _Key(RichLabel):
    """What the ribbon's colours mean, in words and in the order they are stacked."""

    def __init__(self):
        super().__init__()
        self.setFont(font(7.2))
        self.setFixedWidth(116)
        self.setAccessibleName("Key of the ribbon")
        self._shown = None
        self.show_text(False, False)

    def show_text(self, off_grid: bool, controlled: bool) -> None:
        """Names the colours, those of an off-grid house and of controlled loads where there are such."""
        if (off_grid, controlled) == self._shown:
            return
        self._shown = off_grid, controlled
        from calm_relay.desk.energy_path.day_ribbon import MADE, SERVED, SERVED_OFF_GRID

        look = colours()
        rows = [
            f"<span style='color:{getattr(look, colour)}'>■</span> {name}"
            for name, (colour, _) in MADE.items()
            if not (off_grid and name == "exported")
        ][::-1]
        rows.append(f"<span style='color:{look.ink}'>━</span> home")
        if controlled:
            rows.append(f"<span style='color:{look.ink}'>╌</span> home, less controlled")
        rows += [
            f"<span style='color:{getattr(look, colour)}'>■</span> {name}"
            for name, (colour, _) in (SERVED_OFF_GRID if off_grid else SERVED).items()
        ]
        rows.append(f"<span style='color:{look.direct}'>┈</span> battery, empty to full")
        self.setText(Markup("<br>".join(rows)))
