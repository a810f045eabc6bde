"""Every command of the window: menus, keys, the shortcut sheet and the finder."""

from PySide6.QtCore import QObject, Qt
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMessageBox

from calm_relay.desk.app.finder import Finder, plain
from calm_relay.desk.benches.all_benches import BENCHES
from calm_relay.desk.widgets.label import joined, rich, unmarked
from calm_relay.exchange.job_file import SUFFIX
from calm_relay.exchange.shipped import DEMOS
from calm_relay.exchange.templates import templates
from calm_relay.exchange.user_state import SCALES, change_settings, read_settings
from calm_relay.planning.common.cautions import cautions_of

Key = QKeySequence.StandardKey
SPOTS = (
    ("best", "The &best day", "Ctrl+B"),
    ("worst", "The worst &evening", "Ctrl+E"),
    ("clipped", "The first &clipped hour", "Ctrl+K"),
    ("empty", "The emptiest batter&y", "Ctrl+L"),
)
WIDGET_KEYS = (
    ("Left, Right, Return", "on the line: to another station, open its bench"),
    ("Left, Right, Page keys", "on year and day: another day, another quarter of an hour"),
    ("Up, Down, Left, Right", "on the sun dial: choose a face, turn it"),
    ("Left, Right, Up, Down", "on the horizon being drawn: along it, higher and lower"),
    ("Left, Right, Page keys", "on the night rehearsed: a quarter of an hour, an hour"),
    ("1, 2, 3, 4", "in the outage: try the night again with that change; with Alt also while typing"),
    ("Arrows, plus, minus, Page keys", "on the ladders: input, string, its modules, another input"),
    ("Tab", "through every control"),
)


class Commands(QObject):
    """Makes the menus of a window and keeps them in step with it."""

    def __init__(self, window):
        super().__init__(window)
        self._window = window
        self._options: list[QAction] = []
        self._all: list[QAction] = []
        self._job_menu(window.menuBar().addMenu("&Job"))
        edit = window.menuBar().addMenu("&Edit")
        self.undo = self._add(edit, "Undo", Key.Undo, window.session.undo)
        self.redo = self._add(edit, "Redo", "Ctrl+Shift+Z", window.session.redo)
        edit.addSeparator()
        self._add(edit, "&Find a command…", "Ctrl+F", self.find)
        self._bench_menu(window.menuBar().addMenu("&Bench"))
        self._option_menu = window.menuBar().addMenu("O&ption")
        self._moment_menu(window.menuBar().addMenu("&Moment"))
        self._view_menu(window.menuBar().addMenu("&View"))
        help_ = window.menuBar().addMenu("&Help")
        self._add(help_, "&Shortcuts", "F1", self.show_shortcuts)
        self._add(help_, "&Cautions", None, self.show_cautions)

    def _add(self, menu, text, keys, slot):
        action = QAction(text, self._window)
        if keys is not None:
            action.setShortcut(QKeySequence(keys))
        action.triggered.connect(lambda _=False: slot())
        menu.addAction(action)
        self._all.append(action)
        return action

    def _job_menu(self, menu):
        files, window = self._window.files, self._window
        self._add(menu, "&New job", Key.New, window.begin_job)
        self._add(menu, "&Questions of the path", "Ctrl+Shift+Q", window.ask_questions)
        self._templates = menu.addMenu("New from a &template")
        self._templates.aboutToShow.connect(self.list_templates)
        self._add(menu, "Keep as a te&mplate", None, files.keep_as_template)
        self._add(menu, "D&uplicate", "Ctrl+Shift+N", lambda: files.duplicate() and window.forget_view())
        self._add(menu, "&Open…", Key.Open, lambda: files.ask_open() and window.forget_view())
        self._recent = menu.addMenu("Open &recent")
        self._recent.aboutToShow.connect(self._list_recent)
        demos = menu.addMenu("Open a &demo job")
        for name, words in DEMOS.items():
            self._add(demos, words, None, lambda name=name: files.open_demo(name) and window.forget_view())
        menu.addSeparator()
        self._add(menu, "&Save", Key.Save, files.save)
        self._add(menu, "Save &as…", "Ctrl+Shift+S", files.save_as)
        menu.addSeparator()
        self._add(menu, "Prices and &labour…", "Ctrl+Shift+L", self._open_costs)
        menu.addSeparator()
        self._add(menu, "&Print summary…", Key.Print, files.print_summary)
        self._add(menu, "&Export pictures and tables…", None, self._export)
        menu.addSeparator()
        self._add(menu, "&Quit", Key.Quit, window.close)

    def _open_costs(self):
        self._window.open_bench("Choice")
        self._window.bench.open_costs()

    def _export(self):
        self._window.files.export(self._window.bench, self._window.bench_name)

    def list_templates(self) -> None:
        """Lists one's own templates, then the examples."""
        files, window = self._window.files, self._window
        self._templates.clear()
        for path in templates():
            action = self._templates.addAction(unmarked(path.name.removesuffix(SUFFIX)))
            action.triggered.connect(lambda _=False, path=path: files.from_template(path) and window.forget_view())
        self._templates.addSeparator()
        for name, words in DEMOS.items():
            action = self._templates.addAction(f"Example: {words}")
            action.triggered.connect(lambda _=False, name=name: files.open_demo(name) and window.forget_view())

    def _list_recent(self):
        self._recent.clear()
        for path in read_settings().recent_paths:
            action = self._recent.addAction(unmarked(f"{path.name}   ({path.parent})"))
            action.triggered.connect(lambda _=False, path=path: self._open_recent(path))
        if self._recent.isEmpty():
            self._recent.addAction("No job yet").setEnabled(False)

    def _open_recent(self, path):
        if self._window.files.open_recent(path):
            self._window.forget_view()

    def _bench_menu(self, menu):
        for name, entry in BENCHES.items():
            self._add(menu, name, entry.key, lambda name=name: self._window.open_bench(name))

    def _moment_menu(self, menu):
        moment = self._window.moment
        for key, text, keys in SPOTS:
            self._add(menu, text, keys, lambda key=key: moment.go_to(key))
        menu.addSeparator()
        self._add(menu, "&Play the day", "Ctrl+Space", moment.play)
        self._add(menu, "The whole &year", "Ctrl+Y", lambda: self._window.show_step(None))

    def _view_menu(self, menu):
        self._add(menu, "&Light", None, lambda: self._take_look("light"))
        self._add(menu, "&Dark", None, lambda: self._take_look("dark"))
        menu.addSeparator()
        for scale in SCALES:
            self._add(menu, f"Size {scale}%", None, lambda scale=scale: self._take_scale(scale))

    def _take_look(self, look):
        if not self._window.commit():
            return
        change_settings(lambda settings: settings.with_(look=look))
        self._window.look_wanted.emit(look)

    def _take_scale(self, scale):
        change_settings(lambda settings: settings.with_(scale=scale))
        self._window.notice.ask(f"Size {scale}% is taken when the application starts next.", ())

    def show_options(self, titles) -> None:
        """Lists the options of a plan with their keys."""
        if [action.text() for action in self._options] == list(titles):
            return
        for action in self._options:
            self._option_menu.removeAction(action)
            self._all.remove(action)
            action.deleteLater()
        self._options = [
            self._add(
                self._option_menu,
                title,
                f"Ctrl+{(number + 1) % 10}" if number < 10 else None,
                lambda number=number: self._window.show_option(number),
            )
            for number, title in enumerate(titles)
        ]

    def show_history(self, history) -> None:
        """Names what undo and redo would do."""
        for action, word, label in (
            (self.undo, "Undo", history.undo_label),
            (self.redo, "Redo", history.redo_label),
        ):
            action.setEnabled(label is not None)
            action.setText(unmarked(f"{word}: {label}") if label else word)

    def all(self) -> list[QAction]:
        """Every command that stands in a menu."""
        return list(self._all)

    def find(self) -> None:
        """Opens the finder."""
        finder = Finder(self._all, self._window)
        finder.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        finder.open()

    def show_shortcuts(self) -> None:
        """Shows every key."""
        rows = [(action.shortcut().toString(), plain(action.text())) for action in self.all()]
        rows = [(keys, text) for keys, text in rows if keys] + list(WIDGET_KEYS)
        half = (len(rows) + 1) // 2
        lines = []
        for i in range(half):
            cells = [*rows[i], *(rows[i + half] if i + half < len(rows) else ("", ""))]
            lines.append(joined("", [rich("<td style='padding-right:14px'>{}</td>", cell) for cell in cells]))
        self._show_text(
            "Shortcuts", rich("<table cellpadding='2'><tr>{}</tr></table>", joined("</tr><tr>", lines))
        )

    def show_cautions(self) -> None:
        """Shows the cautions."""
        told = "</li><li>".join(cautions_of(self._window.session.job.supply))
        self._show_text("Cautions", f"<ul><li>{told}</li></ul>")

    def _show_text(self, title, text):
        message = QMessageBox(QMessageBox.Icon.NoIcon, title, text, parent=self._window)
        message.setTextFormat(Qt.TextFormat.RichText)
        message.exec()
        message.deleteLater()
