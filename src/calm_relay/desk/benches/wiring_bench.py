"""The bench Wiring: the single-line diagram as a live picture, the cable in hand, and all cables as a table."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from calm_relay.desk.benches.bench import Bench
from calm_relay.desk.benches.route_panel import RoutePanel
from calm_relay.desk.dialogs.form_dialog import FormDialog
from calm_relay.desk.dialogs.wire_figures_dialog import WireFiguresDialog
from calm_relay.desk.widgets.drawing_view import LEAST, DrawingView
from calm_relay.desk.widgets.figure_table import FigureTable
from calm_relay.desk.widgets.label import Label, tip
from calm_relay.desk.widgets.scrolled import Column
from calm_relay.desk.widgets.tabs import Tabs
from calm_relay.desk.widgets.theme import font

PARTS = (("drawing", "Diagram"), ("cables", "All cables"), ("site", "Site plan"))
BLOCK_ROWS = (
    (
        "paper",
        "Paper",
        [(None, "as is usual here"), *((name, name) for name in ("A4", "A3", "Letter", "Tabloid"))],
    ),
    (
        "tables",
        "Tables and sizes of wires",
        [
            (None, "as the region's rules"),
            ("iec", "IEC 60364-5-52, mm²"),
            ("bs", "BS 7671, mm²"),
            ("as-nzs", "AS/NZS 3008, mm²"),
            ("nec", "NEC 310, AWG"),
            ("csa", "CSA C22.1, AWG"),
        ],
    ),
    ("strokes_km2", "Lightning strokes a km² and year", ("", 2)),
    ("drawn_by", "Drawn by", "text"),
    ("checked_by", "Checked by", "text"),
    ("revision", "Revision", "text"),
)
NONE = "Choose an option that can be built: it has a diagram."


class WiringBench(Bench):
    """Shows `planning.drawing.single_line` and `planning.views.wiring_sheet` of the option in view.

    Signals
    -------
    drawing_wanted
        The diagram is to be written to a file.
    figures_kept : object, object
        Figures of wires to be kept as the firm's, and what is called with whether they are.
    """

    drawing_wanted = Signal()
    figures_kept = Signal(object, object)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._job = self._view = self.sheet = None
        self.drawing = DrawingView("Single-line diagram")
        self.drawing.chosen.connect(self.choose)
        self.drawing.label_moved.connect(self._on_label)
        self.site = DrawingView("Site plan", least=LEAST)
        self.site.chosen.connect(self.choose)
        self.site.label_moved.connect(self._on_place)
        self.tabs = Tabs(PARTS)
        self.table = FigureTable("Every cable of the option in view")
        self.table.cellClicked.connect(lambda row, _: self._on_row(row))
        self.route = RoutePanel()
        self.route.edited.connect(self.edited)
        self.part = Label()
        self.part.setWordWrap(True)
        self.note = Label()
        self.note.setWordWrap(True)
        self.note.setObjectName("quiet")
        self.note.setFont(font(8.2))
        self.whole, self.larger, self.smaller = QPushButton("Whole"), QPushButton("Larger"), QPushButton("Smaller")
        self.whole.clicked.connect(lambda _=False: self._shown.fit())
        self.larger.clicked.connect(lambda _=False: self._shown.zoom(True))
        self.smaller.clicked.connect(lambda _=False: self._shown.zoom(False))
        self.write = QPushButton("Write the diagram…")
        self.write.setToolTip("As SVG, PDF or DXF, with a title block")
        self.write.clicked.connect(lambda _=False: self.drawing_wanted.emit())
        self.block = QPushButton("Paper, wires…")
        self.block.setToolTip("Paper, tables and sizes of wires, who drew and checked it, revision")
        self.block.clicked.connect(lambda _=False: self._ask_block())
        self.figures = QPushButton("Figures…")
        self.figures.setToolTip(
            "What sizes carry: figures of your own copy of the standard beside those that ship"
        )
        self.figures.clicked.connect(lambda _=False: self.ask_figures())
        self._lay_out()

    def _lay_out(self):
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 6, 14, 6)
        row.setSpacing(16)
        left = QVBoxLayout()
        left.setSpacing(4)
        head = QHBoxLayout()
        head.addWidget(self.tabs, 1)
        for button in (self.smaller, self.larger, self.whole, self.block, self.write):
            button.setObjectName("small")
            head.addWidget(button)
        left.addLayout(head)
        self._pages = QStackedWidget()
        self._pages.addWidget(self.drawing)
        self._pages.addWidget(self.table)
        self._pages.addWidget(self.site)
        left.addWidget(self._pages, 1)
        below = QHBoxLayout()
        below.addWidget(self.note, 1)
        self.figures.setObjectName("small")
        below.addWidget(self.figures)
        left.addLayout(below)
        row.addLayout(left, 5)
        self._side = QStackedWidget()
        inside = Column(self.route)
        inside.setAccessibleName("The cable in hand")
        said = QWidget()
        column = QVBoxLayout(said)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.part)
        column.addStretch(1)
        self._side.addWidget(said)
        self._side.addWidget(inside)
        row.addWidget(self._side, 2)
        self.tabs.chosen.connect(self._on_tab)

    def _on_tab(self, key):
        self._pages.setCurrentIndex([name for name, _ in PARTS].index(key))
        for button in (self.whole, self.larger, self.smaller):
            button.setVisible(key != "cables")
        self._say_note()

    @property
    def _shown(self):
        """The drawing that is looked at."""
        return self.site if self.tabs.key == "site" else self.drawing

    def show_job(self, job) -> None:
        """Keeps the job that edits start from."""
        self._job = job

    def show_view(self, view) -> None:
        """Draws the option in view."""
        if not self.is_new(view):
            return
        from calm_relay.planning.drawing.single_line import single_line
        from calm_relay.planning.drawing.site_plan import site_plan
        from calm_relay.planning.views.wiring_sheet import HEADS, wiring_sheet

        self._view = view
        option = view.built
        self.sheet = wiring_sheet(option) if option is not None else None
        buttons = self.smaller, self.larger, self.whole, self.figures, self.block, self.write
        for part in (self._pages, self.tabs, *buttons):
            part.setVisible(self.sheet is not None)
        if self.sheet is None:
            self.part.setText(
                NONE
                if option is None
                else f"There are no tables of wires for the region {view.plan.job.region!r}: nothing is sized."
            )
            self._side.setCurrentIndex(0)
            self._say_note()
            return
        job = view.plan.job
        self._on_tab(self.tabs.key)
        wrong = frozenset(cable.edge.key for cable in self.sheet.plan.cables if cable.missed)
        self.drawing.show_drawing(single_line(self.sheet.plan, job.wiring), wrong)
        self.site.show_drawing(site_plan(self.sheet.plan, option.design, option.context, job.wiring), wrong)
        self.table.show_rows(HEADS, self.sheet.rows(), self.sheet.plan.tables.summary, left=5)
        self.choose(self.route.key if self.route.key in self.sheet.keys else self._first())
        self._say_note()

    def _first(self):
        """The cable that is most often asked about: of the new battery's unit."""
        units = [c.edge.key for c in self.sheet.plan.cables if c.edge.kind == "unit" and c.edge.status == "new"]
        return (units or list(self.sheet.keys) or [""])[0]

    def _say_note(self):
        from calm_relay.planning.views.wiring_sheet import HEADS_NOTE

        if self.sheet is None:
            self.note.setText("")
            return
        self.note.setToolTip(tip(self.sheet.plan.tables.note))
        caution = f"Sizes by {self.sheet.plan.tables.summary}. A licensed electrician answers for what is built."
        said = {
            "cables": f"{HEADS_NOTE} {caution}",
            "site": "To scale where faces are measured. Drag faces and parts to where they are; lengths stay as "
            "they are stated.",
        }
        self.note.setText(said.get(self.tabs.key, caution))

    def choose(self, key: str) -> None:
        """Shows a cable or a part."""
        if self.sheet is None:
            return
        self.drawing.light(key)
        self.site.light(key)
        if key in self.sheet.keys:
            self.route.show_cable(self._job, self.sheet, key)
            self._side.setCurrentIndex(1)
            return
        self.part.setText(self._words_of(key))
        self._side.setCurrentIndex(0)

    def _words_of(self, key):
        """What is said of a part that is no cable."""
        topology = self.sheet.plan.topology
        node = next((node for node in topology.nodes if node.key == key), None)
        lines = []
        if node is not None:
            lines = [node.title, node.detail, "there today" if node.status == "there" else "new"]
        elif key.startswith("CT "):
            lines = ["Current transformers"]
        named = node.title if node is not None else "urrent transformer"
        lines += [item.sentence for item in self.sheet.findings if named in item.sentence]
        return "\n\n".join(line for line in lines if line)

    def _on_place(self, key, dx, dy):
        """A part of the site plan was dragged: it stands where it was let go."""
        from calm_relay.planning.drawing.site_plan import PER_M, places_of

        option = self._view.built
        before = places_of(self.sheet.plan, option.design, option.context, self._job.wiring)[key]
        place = round(before[0] + dx / PER_M, 2), round(before[1] - dy / PER_M, 2)
        wiring = self._job.wiring.with_place(key, *place)
        self.edited.emit(self._job.with_(wiring=wiring), f"Place of {key.removeprefix('face ')}")

    def _ask_block(self):
        dialog = FormDialog("Diagram: paper, wires, title block", self._job.wiring, BLOCK_ROWS, self.window())
        if dialog.exec() and dialog.result_model != self._job.wiring:
            self.edited.emit(self._job.with_(wiring=dialog.result_model), "Diagram: paper, wires, title block")

    def ask_figures(self) -> None:
        """Opens the figures of the tables in force."""
        tables = self.library.wires[self.sheet.plan.tables.key]
        own = self._job.wiring.own_figures
        dialog = self.dialog = WireFiguresDialog(
            own, tables, self.library.own_figures, self._keep_figures, self.window()
        )
        dialog.accepted.connect(lambda: self._take_figures(dialog.figures))
        dialog.open()

    def _take_figures(self, figures):
        if figures != self._job.wiring.own_figures:
            wiring = self._job.wiring.with_(own_figures=figures)
            self.edited.emit(self._job.with_(wiring=wiring), "Figures of wires")

    def _keep_figures(self, figures):
        wanted = []
        self.figures_kept.emit(figures, wanted.append)
        return bool(wanted and wanted[0])

    def _on_row(self, row):
        self.choose(self.sheet.keys[row])

    def _on_label(self, key, dx, dy):
        """Words that were dragged stay where they were let go."""
        before = next(((item.dx, item.dy) for item in self._job.wiring.labels if item.key == key), (0.0, 0.0))
        moved = round(before[0] + dx, 1), round(before[1] + dy, 1)
        self.edited.emit(
            self._job.with_(wiring=self._job.wiring.with_label(key, *moved)), "Words of the diagram moved"
        )
