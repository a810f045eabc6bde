"""The window: the line on top, the bench under it, the margin at the right."""

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QFileDialog, QFrame, QHBoxLayout, QMainWindow, QMessageBox, QVBoxLayout, QWidget

from calm_relay.desk.choice_bench import ChoiceBench
from calm_relay.desk.line_view import LineView
from calm_relay.desk.margin import Margin
from calm_relay.desk.option_switch import OptionSwitch
from calm_relay.desk.session import Session
from calm_relay.exchange.errors import InputError
from calm_relay.exchange.job_file import SUFFIX
from calm_relay.exchange.shipped import demo_job
from calm_relay.planning.cautions import CAUTIONS

FILTER = f"Calm Relay job (*{SUFFIX})"
SHORTCUTS = """<table cellpadding='3'>
<tr><td><b>Ctrl+1, 2, 3</b></td><td>option A, B, C</td></tr>
<tr><td><b>Ctrl+Z, Ctrl+Shift+Z</b></td><td>undo, redo</td></tr>
<tr><td><b>Ctrl+O, Ctrl+S, Ctrl+Shift+S</b></td><td>open, save, save as</td></tr>
<tr><td><b>Left, Right, Return</b></td><td>on the line: to the next station, to its notes</td></tr>
<tr><td><b>Alt+P, U, R, T, M, N</b></td><td>pack, count, reserve, window: up to, from, until</td></tr>
<tr><td><b>Tab</b></td><td>through every control</td></tr>
<tr><td><b>F1</b></td><td>this sheet</td></tr></table>"""


class Window(QMainWindow):
    """One job on the desk."""

    def __init__(self, session: Session):
        super().__init__()
        self.session = session
        self._shown = None
        self.line = LineView()
        self.switch = OptionSwitch()
        self.bench = ChoiceBench()
        self.margin = Margin(CAUTIONS)
        self._lay_out()
        self._make_actions()
        self.bench.edited.connect(session.edit)
        self.switch.chosen.connect(self.show_option)
        self.line.station_chosen.connect(self.margin.find)
        self.margin.station_pointed.connect(self.line.light)
        self.margin.mend_chosen.connect(self._mend)
        session.job_changed.connect(self._on_job)
        session.plan_changed.connect(self._on_plan)
        session.plan_failed.connect(self._on_failed)
        self.resize(1280, 800)
        self.bench.store.pack.setFocus()

    def _lay_out(self):
        top = QHBoxLayout()
        top.setContentsMargins(0, 0, 0, 0)
        top.setSpacing(0)
        top.addWidget(self.switch)
        top.addWidget(self.line, 1)
        below = QHBoxLayout()
        below.setContentsMargins(0, 0, 0, 0)
        below.setSpacing(0)
        below.addWidget(self.bench, 1)
        below.addWidget(self._rule(upright=True))
        below.addWidget(self.margin)
        column = QVBoxLayout()
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self._rule())
        column.addLayout(top)
        column.addWidget(self._rule())
        column.addLayout(below, 1)
        inside = QWidget()
        inside.setLayout(column)
        self.setCentralWidget(inside)

    @staticmethod
    def _rule(upright=False):
        rule = QFrame()
        rule.setObjectName("rule")
        if upright:
            rule.setFixedWidth(1)
        else:
            rule.setFixedHeight(1)
        return rule

    def _make_actions(self):
        job = self.menuBar().addMenu("&Job")
        self._action(job, "&Open…", QKeySequence.StandardKey.Open, self.ask_open)
        self._action(job, "Open the &demo job", None, self.open_demo)
        job.addSeparator()
        self._action(job, "&Save", QKeySequence.StandardKey.Save, self.save)
        self._action(job, "Save &as…", QKeySequence("Ctrl+Shift+S"), self.save_as)
        job.addSeparator()
        self._action(job, "&Quit", QKeySequence.StandardKey.Quit, self.close)
        edit = self.menuBar().addMenu("&Edit")
        self._undo = self._action(edit, "Undo", QKeySequence.StandardKey.Undo, self.session.undo)
        self._redo = self._action(edit, "Redo", QKeySequence("Ctrl+Shift+Z"), self.session.redo)
        self._options = self.menuBar().addMenu("O&ption")
        help_ = self.menuBar().addMenu("&Help")
        self._action(help_, "&Shortcuts", QKeySequence("F1"), self._tell_shortcuts)
        self._action(help_, "&Cautions", None, self._tell_cautions)

    def _action(self, menu, text, shortcut, slot):
        action = QAction(text, self)
        if shortcut is not None:
            action.setShortcut(shortcut)
        action.triggered.connect(lambda _=False: slot())
        menu.addAction(action)
        return action

    def open_file(self, path) -> bool:
        """Opens a job file; when it cannot be used, says why and keeps the present job."""
        try:
            self.session.open(Path(path))
        except InputError as error:
            QMessageBox.warning(self, "This file cannot be opened", str(error))
            return False
        self._shown = None
        return True

    def ask_open(self) -> None:
        """Asks for a job file and opens it."""
        if not self._may_leave():
            return
        name, _ = QFileDialog.getOpenFileName(self, "Open a job", self._folder(), FILTER)
        if name:
            self.open_file(name)

    def open_demo(self) -> None:
        """Opens the demo job."""
        if self._may_leave():
            self._shown = None
            self.session.replace(demo_job())

    def save(self) -> bool:
        """Saves to the job's file, or asks for one; says whether it is saved."""
        return self.save_as() if self.session.path is None else self._save(self.session.path)

    def save_as(self) -> bool:
        """Asks for a file and saves to it; says whether it is saved."""
        name = "".join(c if c.isalnum() else "-" for c in self.session.job.name.lower()).strip("-")
        start = self.session.path or Path(self._folder()) / f"{name}{SUFFIX}"
        chosen, _ = QFileDialog.getSaveFileName(self, "Save the job", str(start), FILTER)
        if not chosen:
            return False
        return self._save(Path(chosen if chosen.endswith(SUFFIX) else chosen + SUFFIX))

    def show_option(self, number: int) -> None:
        """Puts an option in view."""
        self._shown = number
        if self.session.plan is not None:
            self._draw(self.session.plan)

    def closeEvent(self, event):
        """Asks about unsaved work, then ends the planner."""
        if self._may_leave():
            self.session.close()
            event.accept()
        else:
            event.ignore()

    def _folder(self):
        return str(self.session.path.parent if self.session.path else Path.home())

    def _save(self, path):
        try:
            self.session.save(path)
        except OSError as error:
            text = f"{path}: {error.strerror or error}. The file on disk is as it was; nothing is lost here."
            QMessageBox.warning(self, "The job was not saved", text)
            return False
        return True

    def _may_leave(self):
        if not self.session.unsaved:
            return True
        buttons = QMessageBox.StandardButton
        answer = QMessageBox.question(
            self,
            "Unsaved work",
            f"“{self.session.job.name}” has changes that are not saved.",
            buttons.Save | buttons.Discard | buttons.Cancel,
            buttons.Save,
        )
        return self.save() if answer == buttons.Save else answer == buttons.Discard

    def _mend(self, mend):
        self.session.edit(mend.apply(self.session.job), mend.label)

    def _on_job(self, job):
        self.bench.show_job(job)
        name = self.session.path.name if self.session.path else "not saved yet"
        self.setWindowTitle(f"{job.name} ({name})[*] · Calm Relay")
        self.setWindowModified(self.session.unsaved)
        history = self.session.history
        for action, word, label in (
            (self._undo, "Undo", history.undo_label),
            (self._redo, "Redo", history.redo_label),
        ):
            action.setEnabled(label is not None)
            action.setText(f"{word}: {label}" if label else word)

    def _on_plan(self, plan):
        keys = [option.design.key for option in plan.options]
        if self._shown is None:
            self._shown = keys.index(plan.choice.key) if plan.choice.key else 0
        if not self._options.actions():
            for number, option in enumerate(plan.options):
                action = QAction(option.design.title, self)
                action.setShortcut(QKeySequence(f"Ctrl+{number + 1}"))
                action.triggered.connect(lambda _=False, number=number: self.show_option(number))
                self._options.addAction(action)
        self._draw(plan)

    def _draw(self, plan):
        from calm_relay.planning.line import line_of
        from calm_relay.planning.scales import scales_of

        option = plan.options[self._shown]
        self.switch.show_options(plan.options, plan.choice.key, self._shown)
        self.line.show_line(line_of(plan, option))
        self.bench.show_plan(plan, scales_of(plan), self._shown)
        self.margin.show_findings(option.findings)

    def _on_failed(self, field, problem):
        self.margin.show_problem(field, problem)
        self.bench.verdict.setText("No verdict: this job cannot be planned as it stands.")

    def _tell_shortcuts(self):
        self._tell("Shortcuts", SHORTCUTS)

    def _tell_cautions(self):
        self._tell("Cautions", "<ul><li>" + "</li><li>".join(CAUTIONS) + "</li></ul>")

    def _tell(self, title, text):
        box = QMessageBox(QMessageBox.Icon.NoIcon, title, text, parent=self)
        box.setTextFormat(Qt.TextFormat.RichText)
        box.exec()
