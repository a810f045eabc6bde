"""What every bench is: one station at a time, shown from a job and a view, edited through one signal."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QWidget

from calm_relay.job.library import Library


class Bench(QWidget):
    """Base of the benches.

    Signals
    -------
    edited : object, str
        A changed job and the edit's name.
    study_wanted : str, object
        Key of a study and its function, for the option in view.
    option_wanted : str
        Key of the option that is to come into view with the next plan.
    moment_moved
        `own_moment` is another: the line is to show it.
    item_wanted : str, object
        A new item of a kind of equipment is to be made; a function that takes its key follows.
    """

    edited = Signal(object, str)
    study_wanted = Signal(str, object)
    option_wanted = Signal(str)
    moment_moved = Signal()
    item_wanted = Signal(str, object)

    # A `planning.views.moment.Moment` that the line shows while the bench is open, None for the one in view.
    own_moment = None
    # Equipment, climates and rules that jobs may draw on; set before the first job is shown.
    library: Library
    # Whether the view asked about last is of another option, or of a job that was not in view: what is drawn of the
    # one before is not to be read beside it.
    is_other = True
    _seen = None

    def is_new(self, view) -> bool:
        """Whether plan or option differ from those of the view asked about before; a moment does not count."""
        before, self._seen = self._seen, view
        self.is_other = before is None or view.shown != before.shown
        return self.is_other or view.plan is not before.plan

    def wait_for(self, *charts) -> None:
        """What these charts show is not known yet."""
        for chart in charts:
            chart.waits()

    def expect_other(self) -> None:
        """Another job comes: nothing that is drawn is of it."""
        self._seen = None

    def forget(self) -> None:
        """What was asked for will not come: the next view is new."""
        self._seen = None

    @property
    def shows_plan(self) -> bool:
        """Whether it shows a plan that it has not let go."""
        return self.__dict__.get("_view") is not None

    def let_go(self) -> None:
        """A newer plan came while the bench was not open: the one it shows is held no longer."""
        self._seen = None
        if self.shows_plan:
            self._view = None

    def end(self) -> None:
        """The window is closed: what goes on by itself ends."""

    def show_job(self, job) -> None:
        """Shows the job's inputs."""

    def show_view(self, view) -> None:
        """Shows a plan with the option in view."""

    def show_kept(self, sentence: str, source: str) -> None:
        """Shows the verdict that the job had last time, until the new plan has come."""

    def show_problem(self, problem: str) -> None:
        """Shows why there is no plan."""

    def commit(self) -> None:
        """Takes what is being typed where that waits for a pause."""

    def focus_first(self) -> None:
        """Gives the focus to the field that is most often changed."""

    def focus_question(self) -> None:
        """Gives the focus to what answers the bench's question on a job that is begun."""
        self.focus_first()

    def show_question(self) -> None:
        """Brings what answers the bench's question into view, where it may stand out of it."""

    @property
    def settled(self) -> bool:
        """Whether what was asked for last is shown."""
        return True

    def show_study(self, key: str, result) -> None:
        """Shows the result of a study asked for."""
