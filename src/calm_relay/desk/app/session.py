"""The job on the desk: its history, its file, and the plan that follows every edit."""

from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QWidget

from calm_relay.desk.app.first_paint import FirstPaint
from calm_relay.desk.app.history import History
from calm_relay.desk.app.planner import Planner
from calm_relay.exchange.files import file_mark, sweep
from calm_relay.exchange.job_file import moved_job, read_job
from calm_relay.exchange.kept_work import Journal, LeftBehind, save_job
from calm_relay.job.assumed import less_what_was_said
from calm_relay.job.carried import with_copies
from calm_relay.job.library import Library
from calm_relay.job.model import Job


class Session(QObject):
    """Holds the present job and tells when it or its plan changes.

    Signals
    -------
    job_changed : object
        The present `Job`.
    plan_changed : object
        The `Plan` of the present job.
    plan_failed : str, str
        Field and problem when the present job cannot be planned.
    broke : str, str
        What was in hand when an error came that nobody foresaw, and its report.
    study_failed : str, str
        Key of a study, and why it has no result.
    plan_cancelled
        The plan of the present job was called off.
    studied : str, object
        Key and result of a study of the present plan.
    study_cancelled
        A study of the present plan was called off.
    progressed : float, str
        How far the work in hand is.
    library_changed : object
        The `Library` that jobs draw on from now on.
    keeping_failed : str
        Unsaved work cannot be kept aside, and why; empty once it can be again.
    """

    job_changed = Signal(object)
    plan_changed = Signal(object)
    plan_failed = Signal(str, str)
    plan_cancelled = Signal()
    broke = Signal(str, str)
    studied = Signal(str, object)
    study_failed = Signal(str, str)
    study_cancelled = Signal()
    progressed = Signal(float, str)
    library_changed = Signal(object)
    keeping_failed = Signal(str)

    def __init__(self, job: Job, library: Library, path: Path | None = None, parent=None):
        super().__init__(parent)
        self.library = library
        self._planner = Planner(library, self)
        self._planner.planned.connect(self._on_planned)
        self._planner.failed.connect(self.plan_failed)
        self._planner.cancelled.connect(self.plan_cancelled)
        self._planner.broke.connect(self.broke)
        self._planner.studied.connect(self.studied)
        self._planner.study_failed.connect(self.study_failed)
        self._planner.study_cancelled.connect(self.study_cancelled)
        self._planner.progressed.connect(self.progressed)
        self.plan = None
        # Whether the present plan is the first with a verdict of a job that was begun.
        self.first_verdict = False
        self.journal = Journal(self._with_copies, self._on_kept)
        self._take(job, path)

    def _take(self, job, path):
        self.history = History(job)
        self.path = path
        self._saved = job
        self._mark = file_mark(path) if path else None
        self._begin_journal(job)

    def _begin_journal(self, job):
        self.journal.begin(job, self.path, self.folder, self._mark)

    def _on_kept(self, error):
        self.keeping_failed.emit(f"{error.strerror or error}" if error else "")

    @property
    def job(self) -> Job:
        """The present job."""
        return self.history.job

    @property
    def unsaved(self) -> bool:
        """Whether the present job differs from its file."""
        return self.job != self._saved

    @property
    def busy(self) -> bool:
        """Whether the plan of the present job is still being made."""
        return self._planner.busy

    @property
    def changed_on_disk(self) -> bool:
        """Whether another program changed the job's file since it was read or saved."""
        return self.path is not None and file_mark(self.path) not in {self._mark, None}

    @property
    def removed_from_disk(self) -> bool:
        """Whether the job's file is gone since it was read or saved."""
        return self.path is not None and self._mark is not None and not self.path.exists()

    def accept_disk(self) -> None:
        """Takes the file's present content as known, and the present job as not saved."""
        self._mark = file_mark(self.path)
        self._saved = None
        self._begin_journal(self.job)
        self.journal.record(self.job)
        self.job_changed.emit(self.job)

    def recover(self, work: LeftBehind) -> None:
        """Puts work left behind back on the desk, as not yet saved."""
        job = work.job if work.path else moved_job(work.job, work.folder, Path.cwd())
        self._take(job, work.path)
        # What the file held when the work began: a file that was saved since is not written over unasked.
        self._mark = work.mark or self._mark
        self._saved = None
        self._begin_journal(job)
        self.journal.record(job)
        self.journal.flush()
        self.start()

    def start(self) -> None:
        """Announces the job and asks for its first plan."""
        self._planner.request(self.job, self.folder)
        self.job_changed.emit(self.job)

    def start_behind(self, window: QWidget) -> None:
        """The same for a window that is about to be shown: what it paints first waits for no plan."""
        self._planner.hold()
        self._painted = FirstPaint(window)
        self._painted.done.connect(self._planner.release)
        self.start()

    def study(self, key: str, function, option, asker: str = "") -> None:
        """Has an option of the present plan studied for somebody: `function(plan, option, progress)`."""
        self._planner.request_study(key, function, self.plan, option, asker)

    def cancel(self) -> None:
        """Calls the work in hand off."""
        self._planner.cancel()

    def edit(self, job: Job, label: str) -> None:
        """Makes a changed job the present one, as one step of undo."""
        before, after = self.job, less_what_was_said(self.job, job)
        if after.assumed:
            from calm_relay.planning.site.first_battery import asks_for_another, with_first_battery
            from calm_relay.planning.site.usual_purposes import weighed_without_grid

            after = weighed_without_grid(before, after)
            after = with_first_battery(after, self.library) if asks_for_another(before, after) else after
        if self.history.add(after, label):
            self._moved()

    def undo(self) -> None:
        """Takes the last edit back."""
        if self.history.undo():
            self._moved()

    def redo(self) -> None:
        """Brings the edit last undone back."""
        if self.history.redo():
            self._moved()

    def _moved(self):
        """Keeps the job that an edit, undo or redo made the present one, and plans it."""
        self.journal.record(self.job)
        self.start()

    def open(self, path: Path) -> None:
        """Reads a job and makes it the present one, with a new history.

        Raises
        ------
        InputError
            When the file cannot be used; the present job stays.
        """
        sweep(Path(path).resolve().parent)
        self._take(read_job(path), Path(path).resolve())
        self.start()

    def replace(self, job: Job) -> None:
        """Puts a job without a file on the desk, with a new history."""
        self._take(job, None)
        self.start()

    def save(self, path: Path, *, over: bool = False) -> None:
        """Writes the present job; no other window writes into that folder meanwhile.

        Parameters
        ----------
        path : Path
            The job's own file, or another.
        over : bool
            Whether what another program wrote into the job's own file may go.

        Raises
        ------
        ChangedOnDisk
            When another program changed the job's own file; nothing on disk changes.
        OSError
            When the folder cannot be written; nothing on disk changes.
        """
        # The folder may be a link; a file that is one is followed as well, so that it stays a link.
        path = Path(path).resolve()
        job = self._with_copies(moved_job(self.job, self.folder, path.parent))
        mark = save_job(job, path, self.journal, self._mark, over=over or path != self.path)
        self.history.amend(job)
        self.path, self._saved, self._mark = path, job, mark
        self._begin_journal(job)
        self.job_changed.emit(job)

    def take_library(self, library: Library) -> None:
        """Draws on another library from now on, and plans the present job anew."""
        self.library = library
        self._planner.take_library(library)
        self.library_changed.emit(library)
        self.start()

    def keep_equipment(self) -> None:
        """Gives the present job copies of what it names, before the library changes under it."""
        self.history.amend(self._with_copies(self.job))

    def job_to_hand_on(self, folder: Path) -> Job:
        """The present job as another folder or program can use it: paths turned, with the equipment it names."""
        return self._with_copies(moved_job(self.job, self.folder, folder))

    def _with_copies(self, job: Job) -> Job:
        return with_copies(job, self.library.in_money_of(job))

    def close(self) -> None:
        """Ends the planner's thread; nothing is kept any more."""
        self._planner.stop()
        self.journal.forget()
        self.journal.close()

    @property
    def folder(self) -> Path:
        """Where the job's relative paths start."""
        return self.path.parent if self.path else Path.cwd()

    def _on_planned(self, plan):
        begun = self.plan is not None and bool(self.plan.job.wanted)
        self.first_verdict = begun and not plan.job.wanted
        self.plan = plan
        self.plan_changed.emit(plan)
