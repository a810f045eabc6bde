"""Opening, saving and keeping jobs, with every way that can go wrong asked or told plainly."""

import contextlib
import sys
import tempfile
from datetime import date, datetime
from pathlib import Path

from PySide6.QtCore import QObject, QProcess, QTimer
from PySide6.QtWidgets import QFileDialog, QMessageBox

from calm_relay.exchange.errors import InputError
from calm_relay.exchange.job_file import SUFFIX, moved_job, read_job, write_job
from calm_relay.exchange.shipped import demo_job
from calm_relay.exchange.templates import keep_template, templates_folder
from calm_relay.exchange.user_state import forget_unsaved, left_behind, read_settings, write_settings

FILTER = f"Calm Relay job (*{SUFFIX})"
KEEP_MS = 400


class JobFiles(QObject):
    """What a window does with files; `notice` is where it asks without standing in the way."""

    def __init__(self, session, notice, parent):
        super().__init__(parent)
        self._session = session
        self._notice = notice
        self._window = parent
        self._summary_of_kept = False
        self._charts = []
        self._process = None
        self._keep = QTimer(self, singleShot=True, interval=KEEP_MS)
        self._keep.timeout.connect(self.keep_now)
        session.job_changed.connect(self._on_job)

    def _on_job(self, job):
        self._keep.start()

    def open_file(self, path) -> bool:
        """Opens a job file; when it cannot be used, says why and keeps the present job."""
        path = Path(path)
        try:
            self._session.open(path)
        except InputError as error:
            QMessageBox.warning(self._window, "This file cannot be opened", str(error))
            return False
        self._notice.clear()
        write_settings(read_settings().with_recent(path.resolve()))
        return True

    def ask_open(self) -> bool:
        """Asks for a job file and opens it."""
        if not self.may_leave():
            return False
        name, _ = QFileDialog.getOpenFileName(self._window, "Open a job", self._folder(), FILTER)
        return bool(name) and self.open_file(name)

    def open_recent(self, path) -> bool:
        """Opens a job opened before."""
        return self.may_leave() and self.open_file(path)

    def drop(self, path) -> bool:
        """Opens what was dropped on the window when it is a job, says so when it is not."""
        return self.may_leave() and self.open_file(path)

    def open_demo(self, name: str = "pottery") -> bool:
        """Puts a demo job on the desk."""
        if not self.may_leave():
            return False
        self._session.replace(demo_job(name))
        return True

    def new_job(self) -> bool:
        """Asks for a place and what the home uses, and puts a job begun from them on the desk."""
        from calm_relay.desk.dialogs.new_job_dialog import NewJobDialog

        if not self.may_leave():
            return False
        dialog = NewJobDialog(self._session.library, self._window)
        if not dialog.exec() or dialog.job is None:
            return False
        self._session.replace(dialog.job)
        return True

    def keep_as_template(self) -> bool:
        """Keeps the present job among one's own templates, without its customer, under its name."""
        job = self._session.job_to_hand_on(templates_folder())
        try:
            path = keep_template(job.with_(customer="", notes="", attachments=()))
        except OSError as error:
            text = f"{templates_folder()}: {error.strerror or error}. Nothing of the job is lost."
            QMessageBox.warning(self._window, "The template was not kept", text)
            return False
        self._notice.ask(f"Kept as a template: {path.name.removesuffix(SUFFIX)}.", ())
        return True

    def from_template(self, path) -> bool:
        """Puts a job begun from a template on the desk, without a file of its own."""
        if not self.may_leave():
            return False
        try:
            job = read_job(path)
        except InputError as error:
            QMessageBox.warning(self._window, "This template cannot be used", str(error))
            return False
        self._session.replace(moved_job(job, Path(path).parent, Path.cwd()))
        return True

    def duplicate(self) -> bool:
        """Puts a copy of the present job on the desk, without a file of its own."""
        if not self.may_leave():
            return False
        job = self._session.job
        moved = moved_job(job, self._session.folder, Path.cwd()) if self._session.path else job
        self._session.replace(moved.with_(name=f"{job.name[:110]}, copy", customer=""))
        return True

    def save(self) -> bool:
        """Saves to the job's file, or asks for one; says whether it is saved. What is being typed counts."""
        if not self._window.commit():
            return False
        if self._session.path is None:
            return self.save_as()
        if self._session.changed_on_disk and not self._may_overwrite():
            return False
        return self._save(self._session.path)

    def save_as(self) -> bool:
        """Asks for a file and saves to it; says whether it is saved."""
        if not self._window.commit():
            return False
        start = self._session.path or Path(self._folder()) / f"{self._plain_name()}{SUFFIX}"
        chosen, _ = QFileDialog.getSaveFileName(self._window, "Save the job", str(start), FILTER)
        if not chosen:
            return False
        return self._save(Path(chosen if chosen.endswith(SUFFIX) else chosen + SUFFIX))

    def may_leave(self) -> bool:
        """Whether the present job may be left: nothing unsaved or being typed, or saved or given up when asked."""
        if not self._window.commit():
            return False
        if not self._session.unsaved:
            return True
        buttons = QMessageBox.StandardButton
        answer = QMessageBox.question(
            self._window,
            "Unsaved work",
            f"“{self._session.job.name}” has changes that are not saved.",
            buttons.Save | buttons.Discard | buttons.Cancel,
            buttons.Save,
        )
        return self.save() if answer == buttons.Save else answer == buttons.Discard

    def print_summary(self) -> bool:
        """Asks for a file and has the summary of the plan written as PDF."""
        if not self._window.commit():
            return False
        if self._session.plan is None:
            return False
        start = Path(self._folder()) / f"{self._plain_name()}.pdf"
        chosen, _ = QFileDialog.getSaveFileName(self._window, "Print summary", str(start), "PDF (*.pdf)")
        if not chosen:
            return False
        path = Path(chosen if chosen.lower().endswith(".pdf") else f"{chosen}.pdf")
        return self._can_write_in(path.parent) and self._write("report", path)

    def write_site_visit(self, result, path) -> bool:
        """Writes the sheet for a site visit; says why when it cannot be."""
        from calm_relay.desk.output.site_visit import write_site_visit

        try:
            write_site_visit(self._session.plan, result, path, date.today())
        except OSError as error:
            text = f"{path}: {error.strerror or error}. Nothing of the job is lost."
            QMessageBox.warning(self._window, "This could not be written", text)
            return False
        self._notice.ask(f"Written: {path}", ())
        return True

    def export(self, bench, name: str) -> bool:
        """Asks for a folder and has the plan's pictures and tables written, and the charts of a bench."""
        if not self._window.commit():
            return False
        if self._session.plan is None:
            return False
        chosen = QFileDialog.getExistingDirectory(self._window, "Export pictures and tables to", self._folder())
        if not chosen:
            return False
        from calm_relay.desk.output.exports import chart_writers

        folder = Path(chosen)
        if not self._can_write_in(folder):
            return False
        self._write("export", folder)
        # Widgets are painted in their own thread: one chart a turn, so that none holds the window up.
        self._charts = chart_writers(bench, folder, name)
        QTimer.singleShot(0, self._next_chart)
        return True

    def _next_chart(self):
        if self._charts:
            write = self._charts.pop(0)
            with contextlib.suppress(OSError):
                write()
            QTimer.singleShot(0, self._next_chart)

    def _can_write_in(self, folder):
        """Whether files can be made in a folder; says so at once where not, before anything is drawn."""
        try:
            folder.mkdir(parents=True, exist_ok=True)
            tempfile.TemporaryFile(dir=folder).close()
        except OSError as error:
            text = f"{folder}: {error.strerror or error}; wanted a folder in which files can be made. "
            QMessageBox.warning(self._window, "This could not be written", f"{text}Nothing of the job is lost.")
            return False
        return True

    def _write(self, command, path):
        """Has files written by a process of its own: Qt does not paint text safely beside the window's thread."""
        self.stop_writing()
        scratch = tempfile.TemporaryDirectory(prefix="calm-relay-")
        job = Path(scratch.name) / f"job{SUFFIX}"
        write_job(self._session.job_to_hand_on(Path(scratch.name)), job)
        self._process = QProcess(self)
        self._process.finished.connect(lambda code, how: self._on_written(code, how, path, scratch))
        self._window.progress.begin()
        self._window.progress.show_text(0.5, "Writing files")
        self._process.start(sys.executable, ["-m", "calm_relay", command, str(job), str(path)])
        return True

    def _on_written(self, code, how, path, scratch):
        self._window.progress.end()
        problem = bytes(self._process.readAllStandardError().data()).decode(errors="replace").strip()
        self._process = None
        scratch.cleanup()
        if how == QProcess.ExitStatus.CrashExit:
            self._notice.ask(f"Called off, not written: {path}", ())
        elif code == 0:
            self._notice.ask(f"Written: {path}", ())
        else:
            text = f"{path}: {problem.splitlines()[-1] if problem else 'it ended'}. Nothing of the job is lost."
            QMessageBox.warning(self._window, "This could not be written", text)

    def stop_writing(self) -> None:
        """Calls the writing of files off."""
        if self._process is not None:
            self._process.kill()
            self._process.waitForFinished(2000)

    def look_at_disk(self) -> None:
        """Says so when another program changed the job's file."""
        if self._session.changed_on_disk and not self._notice.isVisible():
            self._notice.ask(
                f"{self._session.path.name} was changed on disk by another program.",
                (
                    ("Read it anew", lambda: self.may_leave() and self.open_file(self._session.path)),
                    ("Keep mine", self._session.accept_disk),
                ),
            )

    def tell_example(self, new_job) -> None:
        """At a first start: the job on the desk is an example; `new_job` begins one's own."""
        settings = read_settings()
        if settings.knows_example or settings.recent or self._notice.isVisible():
            return
        write_settings(settings.with_(knows_example=True))
        self._notice.ask(
            "This is an example with invented equipment and customers. Look round, or begin your own.",
            (("New job…", new_job), ("Open a job…", self.ask_open)),
        )

    def offer_left_behind(self) -> None:
        """Offers work that an application left unsaved when it was ended."""
        behind = left_behind()
        if not behind:
            return
        kept = behind[-1]
        when = datetime.fromisoformat(kept.kept_at).astimezone()
        self._notice.ask(
            f"Work on “{kept.job.name}” from {when:%-d %b, %H:%M} was not saved when the application ended.",
            (
                ("Bring it back", lambda: self._bring_back(kept)),
                ("Throw it away", lambda: forget_unsaved(kept.process)),
            ),
        )

    def keep_now(self) -> None:
        """Keeps unsaved work aside; says once when that cannot be done."""
        self._keep.stop()
        try:
            self._session.keep()
        except OSError as error:
            if not self._summary_of_kept:
                self._summary_of_kept = True
                self._notice.ask(f"Unsaved work cannot be kept aside ({error.strerror or error}): save often.", ())

    def forget(self) -> None:
        """Nothing is to be kept any more: the window was closed on purpose."""
        self._keep.stop()
        self.stop_writing()
        forget_unsaved()

    def _bring_back(self, kept):
        if self.may_leave():
            self._session.recover(kept)
            self.keep_now()
            forget_unsaved(kept.process)

    def _may_overwrite(self):
        buttons = QMessageBox.StandardButton
        answer = QMessageBox.question(
            self._window,
            "Changed on disk",
            f"{self._session.path.name} was changed on disk by another program. "
            "Save over it? Its present content is kept beside it as the previous version.",
            buttons.Save | buttons.Cancel,
            buttons.Cancel,
        )
        return answer == buttons.Save

    def _plain_name(self):
        return "".join(c if c.isalnum() else "-" for c in self._session.job.name.lower()).strip("-")

    def _folder(self):
        return str(self._session.path.parent if self._session.path else Path.home())

    def _save(self, path):
        try:
            self._session.save(path)
        except OSError as error:
            text = f"{path}: {error.strerror or error}. The file on disk is as it was; nothing is lost here."
            QMessageBox.warning(self._window, "The job was not saved", text)
            return False
        self.keep_now()
        write_settings(read_settings().with_recent(path.resolve()))
        return True
