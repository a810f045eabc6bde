"""Opening, saving and keeping jobs, with every way that can go wrong asked or told plainly."""

import contextlib
import sys
import tempfile
from datetime import date
from pathlib import Path

from PySide6.QtCore import QObject, QProcess, QTimer
from PySide6.QtWidgets import QFileDialog, QMessageBox

from calm_relay.desk.app.questions import UNNAMED
from calm_relay.desk.widgets.label import tip
from calm_relay.exchange.errors import InputError
from calm_relay.exchange.files import make_folder
from calm_relay.exchange.job_file import SUFFIX, files_outside, moved_job, read_job, write_job
from calm_relay.exchange.kept_work import ChangedOnDisk, forget, left_behind
from calm_relay.exchange.logbook import append_entry, copy_logbook, logbook_path
from calm_relay.exchange.shipped import demo_job, demo_logbook
from calm_relay.exchange.templates import keep_template, templates_folder
from calm_relay.exchange.user_state import change_settings, read_settings
from calm_relay.planning.common.wanted import wanted_words

FILTER = f"Calm Relay job (*{SUFFIX})"
DIAGRAM_FILTERS = {"PDF (*.pdf)": ".pdf", "SVG (*.svg)": ".svg", "DXF (*.dxf)": ".dxf"}


class JobFiles(QObject):
    """What a window does with files; `notice` is where it asks without standing in the way."""

    def __init__(self, session, notice, parent):
        super().__init__(parent)
        self._session = session
        self._notice = notice
        self._window = parent
        self._charts = []
        self._process = None
        self._behind = []
        session.keeping_failed.connect(self._on_keeping)

    def open_file(self, path) -> bool:
        """Opens a job file; when it cannot be used, says why and keeps the present job."""
        path = Path(path)
        try:
            if not self._may_read(path, files_outside(read_job(path), path.resolve().parent)):
                return False
            self._session.open(path)
        except InputError as error:
            QMessageBox.warning(self._window, "This file cannot be opened", tip(str(error)))
            return False
        self._notice.clear()
        change_settings(lambda settings: settings.with_recent(path.resolve()))
        return True

    def open_other(self, path) -> bool:
        """Opens a job in place of the one on the desk, whose unsaved work is asked about."""
        return self.may_leave() and self.open_file(path)

    def _may_read(self, path, outside):
        """Shows which files outside its folder a job reads, before any is; asks once for each job."""
        path = path.resolve()
        if read_settings().trusts(path, outside):
            return True
        buttons = QMessageBox.StandardButton
        named = "\n".join(outside[:12]) + ("\n…" if len(outside) > 12 else "")
        answer = QMessageBox.question(
            self._window,
            "Files outside the job’s folder",
            tip(
                f"{path.name} reads files that lie outside its folder:\n\n{named}\n\nRead them, and open the job?"
            ),
            buttons.Yes | buttons.Cancel,
            buttons.Cancel,
        )
        if answer != buttons.Yes:
            return False
        change_settings(lambda settings: settings.with_trusted(path, outside))
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
        """Puts a job on the desk of which nothing is said yet."""
        from calm_relay.planning.site.new_job import begun_job

        if not self.may_leave():
            return False
        self._session.replace(begun_job(UNNAMED, self._session.library))
        return True

    def keep_as_template(self) -> bool:
        """Keeps the present job among one's own templates, without what is of its house alone, under its name."""
        job = self._session.job_to_hand_on(templates_folder())
        try:
            path = keep_template(job.as_template)
        except OSError as error:
            text = f"{templates_folder()}: {error.strerror or error}. Nothing of the job is lost."
            QMessageBox.warning(self._window, "The template was not kept", tip(text))
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
            QMessageBox.warning(self._window, "This template cannot be used", tip(str(error)))
            return False
        self._session.replace(moved_job(job, Path(path).parent, Path.cwd()).as_template)
        return True

    def duplicate(self) -> bool:
        """Puts a copy of the present job on the desk, without a file of its own."""
        if not self.may_leave():
            return False
        job = self._session.job
        moved = moved_job(job, self._session.folder, Path.cwd()) if self._session.path else job
        self._session.replace(moved.of_another_house.with_(name=f"{job.name[:110]}, copy"))
        return True

    def save(self) -> bool:
        """Saves to the job's file, or asks for one; says whether it is saved. What is being typed counts."""
        if not self._window.commit():
            return False
        if self._session.path is None:
            return self.save_as()
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
            tip(f"“{self._session.job.name}” has changes that are not saved."),
            buttons.Save | buttons.Discard | buttons.Cancel,
            buttons.Save,
        )
        return self.save() if answer == buttons.Save else answer == buttons.Discard

    def print_summary(self) -> bool:
        """Asks for a file and has the summary of the plan written as PDF."""
        if not self._window.commit():
            return False
        if self._session.plan is None or self._wanted():
            return False
        start = Path(self._folder()) / f"{self._plain_name()}.pdf"
        chosen, _ = QFileDialog.getSaveFileName(self._window, "Print summary", str(start), "PDF (*.pdf)")
        if not chosen:
            return False
        path = Path(chosen if chosen.lower().endswith(".pdf") else f"{chosen}.pdf")
        return self._can_write_in(path.parent) and self._write("report", path)

    def _wanted(self):
        """Whether answers are wanted before anything can be put on paper; says which."""
        job = self._session.job
        if job.wanted:
            self._notice.ask(f"There is no plan to put on paper yet. Still wanted: {wanted_words(job)}.", ())
        return bool(job.wanted)

    def write_site_visit(self, result, path) -> bool:
        """Writes the sheet for a site visit; says why when it cannot be."""
        from calm_relay.desk.output.site_visit import write_site_visit

        try:
            write_site_visit(self._session.plan, result, path, date.today())
        except OSError as error:
            text = f"{path}: {error.strerror or error}. Nothing of the job is lost."
            QMessageBox.warning(self._window, "This could not be written", tip(text))
            return False
        self._notice.ask(f"Written: {path}", ())
        return True

    def write_diagram(self, option) -> bool:
        """Asks for a file and writes the single-line diagram of an option; says why when it cannot be."""
        from calm_relay.desk.output.diagram_file import paper_for, write_diagram

        if not self._window.commit() or self._session.plan is None or self._wanted():
            return False
        start = Path(self._folder()) / f"{self._plain_name()}, diagram.pdf"
        chosen, kind = QFileDialog.getSaveFileName(
            self._window, "Write the diagram", str(start), ";;".join(DIAGRAM_FILTERS)
        )
        if not chosen:
            return False
        path = Path(chosen)
        if path.suffix.lower() not in DIAGRAM_FILTERS.values():
            path = path.with_name(path.name + DIAGRAM_FILTERS.get(kind, ".pdf"))
        try:
            write_diagram(option, path, date.today(), paper_for(self._session.plan))
        except (OSError, ValueError) as error:
            text = f"{path}: {getattr(error, 'strerror', None) or error}. Nothing of the job is lost."
            QMessageBox.warning(self._window, "This could not be written", tip(text))
            return False
        self._notice.ask(f"Written: {path}", ())
        return True

    def logbooks(self) -> tuple[Path | None, Path | None]:
        """The logbook of the present job, and the one that may be added to; of a demo job the one that ships."""
        if self._session.path is not None:
            path = logbook_path(self._session.path)
            return path, path
        return demo_logbook(self._session.job), None

    def write_protocol(self, option) -> bool:
        """Asks for a file and writes the commissioning protocol; says why when it cannot be."""
        from dataclasses import replace

        from calm_relay.desk.output.protocol_file import write_protocol
        from calm_relay.planning.commissioning.protocol import handover_entry, protocol_of

        if not self._window.commit() or self._session.plan is None or self._wanted():
            return False
        start = Path(self._folder()) / f"{self._plain_name()}, protocol.pdf"
        chosen, _ = QFileDialog.getSaveFileName(self._window, "Write the protocol", str(start), "PDF (*.pdf)")
        if not chosen:
            return False
        # What was typed last stands in the job before the plan has come again.
        plan = replace(self._session.plan, job=self._session.job)
        protocol = protocol_of(plan, option)
        try:
            written = write_protocol(protocol, Path(chosen), date.today())
        except OSError as error:
            text = f"{chosen}: {error.strerror or error}. Nothing of the job is lost."
            QMessageBox.warning(self._window, "This could not be written", tip(text))
            return False
        self._notice.ask(f"Written: {written[0]} and {written[1].name}", ())
        if self._session.path is not None:
            self.add_to_logbook(handover_entry(protocol, date.today()))
        return True

    def add_to_logbook(self, entry) -> bool:
        """Adds an entry to the logbook of a saved job; says why when it cannot be."""
        path = self.logbooks()[1]
        if path is None:
            self._notice.ask("Save the job first: its logbook stands beside its file.", ())
            return False
        try:
            append_entry(path, entry)
        except InputError as error:
            self._notice.ask(f"{error}.", ())
            return False
        return True

    def write_papers(self, key: str) -> bool:
        """Asks for a folder and has all papers of an option written into it."""
        if not self._window.commit() or self._session.plan is None or self._wanted():
            return False
        chosen = QFileDialog.getExistingDirectory(self._window, "Write all papers into", self._folder())
        if not chosen:
            return False
        folder = Path(chosen)
        return self._can_write_in(folder) and self._write("papers", folder, "--option", key)

    def export(self, bench, name: str) -> bool:
        """Asks for a folder and has the plan's pictures and tables written, and the charts of a bench."""
        if not self._window.commit():
            return False
        if self._session.plan is None or self._wanted():
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
            make_folder(folder)
            tempfile.TemporaryFile(dir=folder).close()
        except OSError as error:
            text = f"{folder}: {error.strerror or error}; wanted a folder in which files can be made. "
            QMessageBox.warning(
                self._window, "This could not be written", tip(f"{text}Nothing of the job is lost.")
            )
            return False
        return True

    def _write(self, command, path, *more):
        """Has files written by a process of its own: Qt does not paint text safely beside the window's thread."""
        self.stop_writing()
        scratch = tempfile.TemporaryDirectory(prefix="calm-relay-")
        job = Path(scratch.name) / f"job{SUFFIX}"
        write_job(self._session.job_to_hand_on(Path(scratch.name)), job)
        self._process = QProcess(self)
        self._process.finished.connect(lambda code, how: self._on_written(code, how, path, scratch))
        self._window.progress.begin()
        self._window.progress.show_text(0.5, "Writing files")
        self._process.start(sys.executable, ["-P", "-m", "calm_relay", command, str(job), str(path), *more])
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
            QMessageBox.warning(self._window, "This could not be written", tip(text))

    def stop_writing(self) -> None:
        """Calls the writing of files off."""
        if self._process is not None:
            self._process.kill()
            self._process.waitForFinished(2000)

    def look_at_disk(self) -> None:
        """Says so when another program changed or removed the job's file."""
        if self._session.removed_from_disk and not self._notice.isVisible():
            self._notice.ask(
                f"{self._session.path.name} is no longer in {self._session.path.parent}. The job is as it was here.",
                (("Save it there again", self.save), ("Save as…", self.save_as)),
            )
            return
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
        change_settings(lambda now: now.with_(knows_example=True))
        self._notice.ask(
            "This is an example with invented equipment and customers. Look round, or begin your own.",
            (("New job…", new_job), ("Open a job…", self.ask_open)),
        )

    def offer_left_behind(self) -> None:
        """Offers, one after the other, all work that applications left unsaved when they were ended."""
        self._behind, told = left_behind()
        self._behind = list(self._behind)
        if told:
            self._notice.ask(" ".join(told), (), then=self._offer_next)
        else:
            self._offer_next()

    def _offer_next(self):
        if not self._behind:
            return
        work = self._behind[0]
        when = work.kept_at.astimezone()
        rest = len(self._behind) - 1
        more = f" {rest} more after this." if rest else ""
        newer = f" Its file {work.path.name} was saved by somebody else since." if work.newer_file else ""
        what = f"Work on “{work.job.name}” from {when:%-d %b, %H:%M}"
        self._notice.ask(
            f"{what} was not saved when the application ended.{newer}{more}",
            (
                ("Bring it back", lambda: self._bring_back(work)),
                ("Throw it away", lambda: self._give_up(work)),
            ),
        )

    def _bring_back(self, work):
        if not self.may_leave():
            # What is on the desk stays, and so does the offer.
            QTimer.singleShot(0, self._offer_next)
            return
        if work.newer_file and not self._may_take_older(work):
            QTimer.singleShot(0, self._offer_next)
            return
        self._session.recover(work)
        forget(work)
        self._behind = [one for one in self._behind if one is not work]
        # Another is offered once this one is saved or left.

    def _give_up(self, work):
        forget(work)
        self._behind = [one for one in self._behind if one is not work]
        QTimer.singleShot(0, self._offer_next)

    def _may_take_older(self, work):
        buttons = QMessageBox.StandardButton
        answer = QMessageBox.question(
            self._window,
            "The file is newer",
            tip(
                f"{work.path.name} was saved by another window or program after this work was begun. Bring "
                "the work back all the same? The file stays as it is until you save, and you are asked then."
            ),
            buttons.Yes | buttons.Cancel,
            buttons.Cancel,
        )
        return answer == buttons.Yes

    def _on_keeping(self, problem):
        if problem:
            self._notice.ask(f"Unsaved work cannot be kept aside ({problem}): save often.", ())

    def forget(self) -> None:
        """The window was closed on purpose: no file is written any more."""
        self.stop_writing()

    def _may_overwrite(self):
        buttons = QMessageBox.StandardButton
        answer = QMessageBox.question(
            self._window,
            "Changed on disk",
            tip(
                f"{self._session.path.name} was changed on disk by another program. "
                "Save over it? Its present content is kept beside it as the previous version."
            ),
            buttons.Save | buttons.Cancel,
            buttons.Cancel,
        )
        return answer == buttons.Save

    def _plain_name(self):
        return "".join(c if c.isalnum() else "-" for c in self._session.job.name.lower()).strip("-")

    def _folder(self):
        return str(self._session.path.parent if self._session.path else Path.home())

    def _save(self, path):
        history = self.logbooks()[0]
        try:
            try:
                self._session.save(path)
            except ChangedOnDisk:
                if not self._may_overwrite():
                    return False
                self._session.save(path, over=True)
        except OSError as error:
            text = f"{path}: {error.strerror or error}. The file on disk is as it was; nothing is lost here."
            QMessageBox.warning(self._window, "The job was not saved", tip(text))
            return False
        if history is not None:
            try:
                copy_logbook(history, logbook_path(path))
            except InputError as error:
                QMessageBox.warning(self._window, "The logbook was not taken along", tip(f"{error}."))
        # What one's own window named is one's own.
        outside = files_outside(self._session.job, path.resolve().parent)
        change_settings(
            lambda settings: settings.with_recent(path.resolve()).with_trusted(path.resolve(), outside)
        )
        QTimer.singleShot(0, self._offer_next)
        return True
