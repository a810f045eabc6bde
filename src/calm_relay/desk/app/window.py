"""The window: the line on top, one bench under it, the moment below, the margin at the right."""

import traceback
from pathlib import Path

from pydantic import ValidationError
from PySide6.QtCore import QEvent, QSize, Qt, Signal
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QMainWindow,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from calm_relay.desk.app import fault
from calm_relay.desk.app.ahead import UNDER_THE_SKY, import_skies
from calm_relay.desk.app.commands import Commands
from calm_relay.desk.app.job_files import JobFiles
from calm_relay.desk.app.option_switch import OptionSwitch, note_of
from calm_relay.desk.app.questions import Questions
from calm_relay.desk.app.session import Session
from calm_relay.desk.app.shelf import Shelf
from calm_relay.desk.benches.all_benches import BENCHES, Day, bench_of, make_bench
from calm_relay.desk.benches.choice_bench import source_of
from calm_relay.desk.energy_path.margin import Margin
from calm_relay.desk.energy_path.moment_view import MomentView
from calm_relay.desk.energy_path.path_view import LineView
from calm_relay.desk.view import View
from calm_relay.desk.widgets.label import speak, spoken
from calm_relay.desk.widgets.measures import MEASURES
from calm_relay.desk.widgets.notice import Notice
from calm_relay.desk.widgets.page_stack import PageStack
from calm_relay.desk.widgets.progress_row import ProgressRow
from calm_relay.desk.widgets.theme import colours, style_sheet
from calm_relay.desk.widgets.typed import take_typed
from calm_relay.exchange.kept_verdict import KeptOption, KeptVerdict, keep_verdict, kept_verdict
from calm_relay.job.field_words import lower_first
from calm_relay.job.model import Job
from calm_relay.planning.common.cautions import cautions_of
from calm_relay.planning.common.progress import Superseded
from calm_relay.planning.common.refused import refused_words
from calm_relay.planning.common.wanted import HOLD_WHILE_WANTED


class _Inside(QWidget):
    """The whole picture. Words that wrap would ask for the height they need in a narrow window."""

    def minimumSizeHint(self):
        return QSize(1120, 690)

    def heightForWidth(self, width):
        return 0


class Window(QMainWindow):
    """One job on the desk. Emits `look_wanted` with "light" or "dark"."""

    look_wanted = Signal(str)

    def __init__(self, session: Session):
        super().__init__()
        self.setStyleSheet(style_sheet(colours()))
        self.session = session
        self._shown = self._followed = None
        self._step = None
        self._name = "Choice"
        self._asked = {}
        self.line = LineView()
        self.switch = OptionSwitch()
        self.margin = Margin()
        self.moment = MomentView()
        self.notice = Notice()
        self.progress = ProgressRow()
        self.questions = Questions(session.library)
        self.benches = {}
        self._stack = PageStack()
        self.files = JobFiles(session, self.notice, self)
        self.shelf = Shelf(session, self.notice, self)
        self._lay_out()
        self.commands = Commands(self)
        self._connect()
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self.open_bench("Choice")
        self.bench.focus_first()
        self._show_kept()

    def _lay_out(self):
        top = QHBoxLayout()
        top.setContentsMargins(0, 0, 0, 0)
        top.setSpacing(0)
        top.addWidget(self.switch)
        top.addWidget(self.line, 1)
        middle = QVBoxLayout()
        middle.setContentsMargins(0, 0, 0, 0)
        middle.setSpacing(0)
        middle.addWidget(self._stack, 1)
        middle.addWidget(_rule())
        middle.addWidget(self.moment)
        below = QHBoxLayout()
        below.setContentsMargins(0, 0, 0, 0)
        below.setSpacing(0)
        below.addLayout(middle, 1)
        below.addWidget(_rule(upright=True))
        below.addWidget(self.margin)
        column = QVBoxLayout()
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        for part in (_rule(), self.notice, self.progress, self.questions):
            column.addWidget(part)
        column.addLayout(top)
        column.addWidget(_rule())
        column.addLayout(below, 1)
        inside = _Inside()
        inside.setLayout(column)
        # Where the screen is smaller than what must be read, the whole picture scrolls.
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        scroll.setWidget(inside)
        self.setCentralWidget(scroll)

    def _connect(self):
        session = self.session
        self.switch.chosen.connect(self.show_option)
        self.switch.compare.connect(lambda: self.open_bench("Choice"))
        self.line.station_chosen.connect(self._on_station)
        self.margin.station_pointed.connect(self.line.light)
        self.margin.mend_chosen.connect(self._mend)
        self.moment.step_chosen.connect(self.show_step)
        self.moment.study_wanted.connect(self._study)
        self.progress.called_off.connect(session.cancel)
        self.progress.called_off.connect(self.files.stop_writing)
        self.questions.edited.connect(session.edit)
        self.questions.bench_wanted.connect(self._ask)
        self.questions.ended.connect(self._end_questions)
        session.job_changed.connect(self._on_job)
        session.plan_changed.connect(self._on_plan)
        session.plan_failed.connect(self._on_failed)
        session.broke.connect(self._on_broke)
        session.study_failed.connect(self._on_study_failed)
        session.plan_cancelled.connect(self._on_cancelled)
        session.studied.connect(self._on_studied)
        session.study_cancelled.connect(self._on_study_cancelled)
        session.progressed.connect(self.progress.show_text)
        session.library_changed.connect(self._on_library)

    @property
    def bench(self):
        """The bench that is open."""
        return self.benches[self._name]

    @property
    def bench_name(self) -> str:
        """Name of the bench that is open."""
        return self._name

    @property
    def view(self) -> View | None:
        """What is drawn; None before the first plan."""
        plan = self.session.plan
        if plan is None or self._shown is None:
            return None
        return View(plan, min(self._shown, len(plan.options) - 1), self._step)

    def open_bench(self, name: str) -> None:
        """Opens a bench by its name; what is being typed on the one before is taken first."""
        if self._name in self.benches:
            self.commit()
        if name not in self.benches:
            bench = spoken(make_bench(name, self.session.library))
            bench.edited.connect(self.session.edit)
            bench.study_wanted.connect(self._study)
            bench.option_wanted.connect(self._want_option)
            bench.moment_moved.connect(self._draw_line)
            bench.item_wanted.connect(self.shelf.new)
            if name == "Equipment":
                self._connect_equipment(bench)
            if name == "Survey":
                bench.station_wanted.connect(self._on_station)
                bench.sheet_wanted.connect(self.files.write_site_visit)
            if name == "Wiring":
                bench.drawing_wanted.connect(lambda: self._write_diagram())
                bench.figures_kept.connect(self.shelf.keep_figures)
            if name == "Handover":
                bench.papers_wanted.connect(lambda: self._write_papers())
            if name == "Commissioning":
                bench.protocol_wanted.connect(lambda: self._write_protocol())
                bench.entry_made.connect(self.files.add_to_logbook)
            if name == "Logbook":
                bench.places = self.files.logbooks
            if name == "Book":
                bench.job_wanted.connect(self._open_from_book)
            if name == "Choice":
                bench.costs_kept.connect(self.shelf.keep_costs)
            if name in UNDER_THE_SKY:
                import_skies()
            bench.show_job(self.session.job)
            self.benches[name] = bench
            self._stack.addWidget(bench)
        self._name = name
        self._stack.setCurrentWidget(self.benches[name])
        self._stack.updateGeometry()
        self.line.mark_open(name)
        self._open_moment()
        self.questions.follow(name)
        if self.questions.isVisible():
            self.bench.show_question()
        if self.view is not None:
            self.bench.show_view(self.view)
            self._draw_line()

    def _open_from_book(self, path):
        if self.files.open_other(path):
            self.forget_view()
            self.open_bench("Choice")

    def _write_diagram(self):
        option = self.view.built if self.view is not None else None
        if option is not None:
            self.files.write_diagram(option)

    def _write_papers(self):
        option = self.view.built if self.view is not None else None
        if option is not None:
            self.files.write_papers(option.key)

    def _write_protocol(self):
        option = self.benches["Commissioning"].option
        if option is not None:
            self.files.write_protocol(option)

    def _connect_equipment(self, bench):
        shelf = self.shelf
        bench.new_wanted.connect(lambda kind: shelf.new(kind, lambda key: bench.select([key])))
        bench.change_wanted.connect(shelf.change)
        bench.drop_wanted.connect(shelf.drop)
        bench.examples_wanted.connect(lambda on: shelf.leave_examples_out(not on))
        bench.import_wanted.connect(lambda name: shelf.import_from(Path(name)))
        bench.export_wanted.connect(lambda name: shelf.export_to(Path(name)))
        bench.table_wanted.connect(lambda kind, name: shelf.take_table(kind, Path(name)))
        bench.prices_wanted.connect(lambda name: shelf.take_prices(Path(name)))
        bench.show_own(shelf.own)

    def _on_library(self, library):
        self.questions.library = library
        for name, bench in self.benches.items():
            bench.library = library
            if name == "Equipment":
                bench.show_own(self.shelf.own)

    @property
    def _shows_day(self):
        """Whether the day's ribbon stands under the open bench at the moment in view."""
        day = BENCHES[self._name].day
        return day is Day.ALWAYS or (day is Day.CHOSEN and self._step is not None)

    def _open_moment(self):
        """Day and year of a job that is only begun are nobody's: they are not drawn."""
        begun = bool(self.session.job.wanted)
        self.moment.setVisible(not begun)
        self.moment.set_open(self._shows_day and not begun, strip=self._name != "Choice" and not begun)

    def show_option(self, number: int) -> None:
        """Puts an option in view; what is being typed is taken first."""
        self.commit()
        self._shown = number
        self._followed = self.view.option.key if self.view is not None else None
        self._draw()

    def show_step(self, step: int | None) -> None:
        """Puts a moment in view, or the whole year."""
        self._step = step
        if self._shows_day != self.moment.is_open:
            self._open_moment()
        self._draw_moment()

    def commit(self) -> bool:
        """Takes what is being typed, as leaving the field does; False when it cannot be, which is then said."""
        refusals: list[str] = []
        field = self.focusWidget()
        refused = getattr(field, "refused", None)
        if refused is not None:
            refused.connect(refusals.append)
        take_typed(field)
        self.bench.commit()
        if refused is not None:
            refused.disconnect(refusals.append)
        if refusals:
            self.notice.ask(f"Not taken: {refusals[0]}", ())
        return not refusals

    def begin_job(self) -> None:
        """Puts a new job on the desk and asks its questions."""
        if self.files.new_job():
            self.forget_view()
            self.ask_questions()

    def ask_questions(self) -> None:
        """Asks what a job needs, station by station."""
        import_skies()
        self.questions.begin(self.session.job)

    def _ask(self, bench):
        self.open_bench(bench)
        if not self.questions.take_focus():
            self.bench.focus_question()

    def _end_questions(self):
        self.questions.hide()
        self.open_bench("Choice")

    def forget_view(self) -> None:
        """Another job comes: its own best option is to be shown."""
        self._shown = self._step = self._followed = None
        for bench in self.benches.values():
            bench.expect_other()

    def take_over(self, old: "Window") -> None:
        """Shows what another window of the same session shows."""
        self._shown, self._step, self._followed = old._shown, old._step, old._followed
        self._on_job(self.session.job)
        self.open_bench(old.bench_name)
        if self.session.plan is not None:
            self._on_plan(self.session.plan)

    def closeEvent(self, event):
        """Asks about unsaved work, then ends the planner."""
        if self.files.may_leave():
            self.files.forget()
            self._keep_verdict()
            for bench in self.benches.values():
                bench.end()
            self.session.close()
            event.accept()
        else:
            event.ignore()

    def changeEvent(self, event):
        """Coming back to the window, looks whether the file was changed meanwhile."""
        if event.type() == QEvent.Type.ActivationChange and self.isActiveWindow():
            self.files.look_at_disk()
            self.shelf.look_at_disk()
        super().changeEvent(event)

    def dragEnterEvent(self, event):
        """Takes one file."""
        if len(event.mimeData().urls()) == 1 and event.mimeData().urls()[0].isLocalFile():
            event.acceptProposedAction()

    def dropEvent(self, event):
        """Opens the file when it is a job."""
        path = Path(event.mimeData().urls()[0].toLocalFile())
        event.acceptProposedAction()
        if self.files.drop(path):
            self.forget_view()

    def _on_station(self, name):
        self.margin.find(name)
        self.open_bench(bench_of(name))

    def _mend(self, mend):
        if self.session.busy:
            # The findings on the screen are those of the job before the last edit.
            self.notice.ask("The job changed meanwhile: look at what is found now.", ())
            return
        try:
            job = mend.apply(self.session.job)
        except ValidationError as error:
            why = lower_first(refused_words(error, Job))
            self.notice.ask(f"This cannot be done as the job stands now: {why}.", ())
        except Exception:
            fault.tell(self.notice, f"“{mend.label}” was done", traceback.format_exc())
        else:
            self.session.edit(job, mend.label)

    def _want_option(self, key):
        self._followed = key

    def _study(self, key, function):
        if self.view is not None and not self.session.busy:
            self.progress.begin()
            # Another look puts another window here: what the one before asked for is not mistaken for its own.
            ticket = self._asked[key] = object()

            def study(plan, option, progress):
                def show_text(done, what):
                    # Another option came into view: its own study waits behind this one.
                    if self._asked[key] is not ticket:
                        raise Superseded
                    progress(done, what)

                return ticket, function(plan, option, show_text)

            asker = key if key == "moment" else self._name
            self.session.study(key, study, self.view.option, asker)

    def _on_job(self, job):
        MEASURES.show_feet(self.session.library.in_feet(job))
        if self.session.busy:
            self.progress.begin()
        for bench in self.benches.values():
            bench.show_job(job)
        if not job.wanted and not job.assumed:
            self.questions.hide()
        self.questions.show_job(job)
        self.margin.show_cautions(cautions_of(job.supply))
        self._open_moment()
        name = self.session.path.name if self.session.path else "not saved yet"
        self.setWindowTitle(f"{job.name} ({name})[*] · Calm Relay")
        self.setWindowModified(self.session.unsaved)
        self.commands.show_history(self.session.history)

    def _show_kept(self):
        """Until the first plan has come: the verdict the job had when it was last planned."""
        kept = kept_verdict(self.session.job) if self.session.plan is None else None
        if kept is not None:
            self.bench.show_kept(kept.sentence, kept.source)
            self.switch.show_kept([(option.title, option.note) for option in kept.options], kept.shown)

    def _keep_verdict(self):
        """Keeps the verdict of the job as it is saved, for the next start."""
        view = self.view
        if view is None or self.session.busy or self.session.unsaved:
            return
        choice = view.plan.choice
        options = tuple(
            KeptOption(title=option.title, note=note_of(option, choice.key)) for option in view.plan.options
        )
        kept = KeptVerdict(
            sentence=choice.sentence, source=source_of(view.plan), options=options, shown=view.shown
        )
        keep_verdict(view.plan.job, kept)

    def _on_plan(self, plan):
        self.progress.end()
        speak(plan.rules.words)
        if self.session.first_verdict:
            self._shown = self._followed = None
        keys = [option.key for option in plan.options]
        # Options stand in another order on a bare roof: the one in view is found again by its key.
        if self._followed in keys:
            self._shown = keys.index(self._followed)
        elif self._shown is None:
            self._shown = keys.index(plan.choice.key) if plan.choice.key else 0
        self._followed = keys[min(self._shown, len(keys) - 1)]
        self.commands.show_options([option.title for option in plan.options])
        for bench in self.benches.values():
            if bench is not self.bench:
                bench.let_go()
        self._draw()

    def _draw(self):
        view = self.view
        if view is None:
            return
        findings = view.option.findings
        if view.plan.job.wanted:
            # Options of a job that is only begun say nothing of it.
            self.switch.show_none()
            findings = [finding for finding in findings if finding.check in HOLD_WHILE_WANTED]
        else:
            self.switch.show_options(view.plan.options, view.plan.choice.key, view.shown)
        self.margin.show_findings(findings, view.plan.job)
        self._draw_moment()

    def _draw_moment(self):
        view = self.view
        if view is None:
            return
        self.bench.show_view(view)
        self._draw_line()
        self.moment.show_view(view)

    def _draw_line(self):
        """The line at the open bench's own moment, at the one in view, or through the whole year."""
        from calm_relay.planning.views.energy_path import line_of
        from calm_relay.planning.views.moment import moment_of

        view = self.view
        moment = self.bench.own_moment
        if moment is None and view.step is not None and view.built is not None:
            moment = moment_of(view.plan, view.option, view.step)
        self.line.show_line(line_of(view.plan, view.option), moment, begun=bool(view.plan.job.wanted))

    def _on_failed(self, field, problem):
        self.progress.end()
        self.margin.show_problem(field, problem)
        self.bench.show_problem("No verdict: this job cannot be planned as it stands.")

    def _on_broke(self, what, details):
        """An error nobody foresaw: told with its report; the job stays."""
        self.progress.end()
        if what == "plan":
            self.margin.show_problem("", f"Something went wrong in the program: {fault.last_line(details)}")
            self.bench.show_problem("No verdict: something went wrong in the program while planning.")
        else:
            self._give_up(what)
        fault.tell(self.notice, what, details)

    def _on_study_failed(self, key, problem):
        self.progress.end()
        self._give_up(key)
        self.notice.ask(f"No result: {problem}", (("Try again", self.session.start),))

    def _give_up(self, key):
        """A study has no result: nobody waits for it, and it is not asked for again until somebody does."""
        if key == "moment":
            self.moment.forget()
        for bench in self.benches.values():
            if bench.shows_plan:
                bench.forget()

    def _on_cancelled(self):
        self._on_study_cancelled()
        self._draw()

    def _on_study_cancelled(self):
        # What was called off is not asked for again until somebody does.
        self.progress.end()
        self.moment.forget()
        self.bench.forget()
        self.notice.ask("Called off: what is shown is as it was before.", (("Plan again", self.session.start),))

    def _on_studied(self, key, result):
        self.progress.end()
        ticket, result = result
        if ticket is not self._asked.get(key):
            # Another option came into view meanwhile, and its study is under way.
            return
        if key == "moment":
            self.moment.take(result)
        else:
            # Also to a bench that was left meanwhile: it will not ask again.
            for bench in self.benches.values():
                bench.show_study(key, result)


def _rule(upright=False):
    rule = QFrame()
    rule.setObjectName("rule")
    if upright:
        rule.setFixedWidth(1)
    else:
        rule.setFixedHeight(1)
    return rule
