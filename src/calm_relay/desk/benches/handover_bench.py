"""The bench Handover: what the chosen option becomes on paper: offer, materials, settings, work order, application."""

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QScrollArea, QStackedWidget, QVBoxLayout, QWidget

from calm_relay.desk.benches.bench import Bench
from calm_relay.desk.benches.growth_panel import GrowthPanel
from calm_relay.desk.charts.offer_pictures import (
    BILLS_HIGH,
    WIDE,
    YEARS_HIGH,
    paint_bills,
    paint_day,
    paint_served,
    paint_years,
)
from calm_relay.desk.dialogs.form_dialog import FormDialog
from calm_relay.desk.widgets.figure_table import FigureTable
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.painted import painted
from calm_relay.desk.widgets.scrolled import Column
from calm_relay.desk.widgets.tabs import Tabs
from calm_relay.desk.widgets.theme import LIGHT, font
from calm_relay.exchange.errors import InputError
from calm_relay.exchange.firm import Firm, keep_firm, read_firm
from calm_relay.planning.common.amounts import amount_text

PARTS = (
    ("offer", "Offer"),
    ("materials", "Materials"),
    ("settings", "Settings"),
    ("steps", "Work order"),
    ("application", "Application"),
    ("growth", "Room to grow"),
)
FIRM_ROWS = (
    ("name", "Firm", "text"),
    ("address", "Address", "text"),
    ("contact", "Telephone, mail", "text"),
    ("logo", "Logo, a PNG or JPEG file", "text"),
    ("colour", "Colour of heads, as #1f6b67", "text"),
    ("prices", "Prices in the offer", [("line by line", "line by line"), ("in sums", "in sums")]),
)
NONE = "Choose an option that can be built: its papers are made from it."
GAP, HEAD = 18.0, 18.0


class OfferPictures(QWidget):
    """The pictures of the offer as they are printed: two days at the left, the bill and the years at the right."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self._offer = self._currency = None
        self.setAccessibleName("Pictures of the offer")

    @property
    def _scale(self):
        return max(self.width(), 560) / (2.0 * WIDE + 3.0 * GAP)

    def sizeHint(self) -> QSize:
        """As high as its pictures at this width."""
        return QSize(560, round((BILLS_HIGH + YEARS_HIGH + 2 * HEAD + 3 * GAP) * self._scale))

    def show_offer(self, offer, currency: str) -> None:
        """Draws `planning.handover.offer.Offer`."""
        self._offer, self._currency = offer, currency
        before, after = offer.bills
        told = f"bill {before.sum():,.0f} {offer.before_words}, {after.sum():,.0f} with this offer"
        if offer.served is not None:
            told = offer.served.sentence
        self.setAccessibleDescription(f"{offer.winter.title}; {offer.summer.title}; {told}")
        self.setMinimumHeight(self.sizeHint().height())
        self.update()

    def resizeEvent(self, event):
        """Keeps its height to its width."""
        super().resizeEvent(event)
        self.setMinimumHeight(self.sizeHint().height())

    @painted
    def paintEvent(self, painter):
        """Paints them on paper."""
        painter.fillRect(self.rect(), QColor(LIGHT.card))
        if self._offer is not None:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.scale(self._scale, self._scale)
            self._days(painter)
            self._money(painter)

    def _days(self, painter):
        painter.save()
        painter.translate(GAP, GAP)
        for item in (self._offer.winter, self._offer.summer):
            paint_day(painter, item.series, item.title, BILLS_HIGH)
            painter.translate(0.0, BILLS_HIGH + HEAD + GAP)
        painter.restore()

    def _money(self, painter):
        painter.save()
        painter.translate(WIDE + 2 * GAP, GAP)
        if self._offer.served is None:
            self._head(painter, "The bill, month by month")
            before, after = self._offer.bills
            paint_bills(painter, before, after, self._currency, self._offer.before_words)
        else:
            self._head(painter, "What is asked and who serves it, month by month")
            paint_served(painter, self._offer.served)
        painter.translate(0.0, BILLS_HIGH + GAP)
        self._head(painter, "Money over the years, running sum")
        paint_years(painter, self._offer.flow.running, self._currency)
        painter.restore()

    @staticmethod
    def _head(painter, words):
        painter.setFont(font(10.0, strong=True))
        painter.setPen(QColor(LIGHT.ink))
        painter.drawText(QRectF(0, 0, WIDE, HEAD), Qt.AlignmentFlag.AlignLeft, words)
        painter.translate(0.0, HEAD)


class HandoverBench(Bench):
    """Shows what `planning.handover` makes of the option in view.

    Signals
    -------
    papers_wanted
        All papers of the option in view are to be written.
    """

    papers_wanted = Signal()

    def __init__(self, parent=None):
        super().__init__(parent)
        self._job = self._view = None
        self.tabs = Tabs(PARTS)
        self.tabs.chosen.connect(lambda _: self._draw())
        self.title = Label()
        self.title.setFont(font(10.5, strong=True))
        self.title.setWordWrap(True)
        self.note = Label()
        self.note.setObjectName("quiet")
        self.note.setWordWrap(True)
        self.problem = Label()
        self.problem.setObjectName("refused")
        self.problem.setWordWrap(True)
        self.problem.hide()
        self.stop = Label()
        self.stop.setObjectName("refused")
        self.stop.setWordWrap(True)
        self.stop.hide()
        self.pictures = OfferPictures()
        self.tables = {key: FigureTable(f"{words} of the option in view") for key, words in PARTS[1:-1]}
        self.growth = GrowthPanel()
        self._asked = self._grown = self._offered = self._offer = None
        self.firm = QPushButton("Firm and logo…")
        self.firm.setToolTip("Name, address, logo and colour at the head of each paper, and how prices are shown")
        self.firm.clicked.connect(lambda _=False: self._ask_firm())
        self.write = QPushButton("Write all papers…")
        self.write.setToolTip("Offer, materials, settings, work order, application and diagram, into a folder")
        self.write.clicked.connect(lambda _=False: self.papers_wanted.emit())
        self._lay_out()

    def _lay_out(self):
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 6, 14, 6)
        column.setSpacing(5)
        head = QHBoxLayout()
        head.addWidget(self.tabs, 1)
        for button in (self.firm, self.write):
            button.setObjectName("small")
            head.addWidget(button)
        column.addLayout(head)
        for label in (self.title, self.stop, self.problem):
            column.addWidget(label)
        self._pages = QStackedWidget()
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setWidget(self.pictures)
        scroll.setAccessibleName("Pictures of the offer, scrolling")
        self._pages.addWidget(scroll)
        for table in self.tables.values():
            table.setWordWrap(True)
            self._pages.addWidget(table)
        inside = Column(self.growth)
        inside.setAccessibleName("Room to grow")
        self._pages.addWidget(inside)
        self._pages.addWidget(QWidget())
        column.addWidget(self._pages, 1)
        column.addWidget(self.note)

    def show_job(self, job) -> None:
        """Keeps the job."""
        self._job = job

    def show_view(self, view) -> None:
        """Draws the papers of the option in view."""
        if not self.is_new(view):
            return
        self._view = view
        self._draw()

    def _draw(self):
        view = self._view
        option = view.built if view is not None else None
        for part in (self.tabs, self.write):
            part.setEnabled(option is not None)
        if option is None:
            self._pages.setCurrentIndex(len(PARTS))
            self.title.setText(NONE)
            self.note.setText("")
            self.stop.hide()
            return
        self.stop.setText(option.stop_words)
        self.stop.setVisible(option.stopped)
        key = self.tabs.key
        self._pages.setCurrentIndex([name for name, _ in PARTS].index(key))
        getattr(self, f"_draw_{key}")(view.plan, option)

    def _draw_offer(self, plan, option):
        currency, money = plan.job.tariff.currency, option.outcome.money
        if self._offered is not option:
            self._offered, self._offer = option, None
            self.study_wanted.emit("offer", _offer)
        offer = self._offer
        self.pictures.setVisible(offer is not None)
        if offer is not None:
            self.pictures.show_offer(offer, currency)
        verb, more = ("saves", "") if money.saving >= 0.0 else ("takes", " more for power")
        saved = f", {verb} {amount_text(abs(money.saving), currency)} a year{more}"
        said = saved if plan.job.pays_for_power else ""
        self.title.setText(f"{option.title}: {amount_text(money.outlay, currency)}{said}")
        beside = (
            f" Beside it stands {offer.beside.title}." if offer is not None and offer.beside is not None else ""
        )
        drawn = "" if offer is not None else "Its pictures are being drawn … "
        self.note.setText(
            f"{drawn}The offer says it in plain words, four to six pages.{beside} {self._weather(plan)}"
        )

    @staticmethod
    def _weather(plan):
        return f"Weather: {plan.weather_said}."

    def _fill(self, key, rows, columns, title, note, left=9, shares=None):
        """Rows of a table that is written to files too, with some of its columns; some share the room by name."""
        head, *lines = rows
        at = [head.index(name) for name in columns]
        shown = [[_words(line[number]) for number in at] for line in lines]
        table = self.tables[key]
        parted = {columns.index(name): share for name, share in (shares or {}).items()}
        table.show_rows([name[:1].upper() + name[1:] for name in columns], shown, note, left=left, shares=parted)
        table.resizeRowsToContents()
        self.title.setText(title)
        self.note.setText(note)

    def _draw_materials(self, plan, option):
        from calm_relay.planning.handover.materials import material_rows

        rows = material_rows(option)
        buy = sum(line[4] == "to buy" for line in rows[1:])
        columns = ("group", "article", "quantity", "unit", "what becomes of it", rows[0][6])
        self._fill(
            "materials", rows, columns, f"{buy} lines to buy, {len(rows) - 1 - buy} used again or taken away",
            "Lengths hold a tenth of waste; clamps, glands and trunking are counted by common practice.", left=2,
            shares={"article": 1.0},
        )  # fmt: skip

    def _draw_settings(self, plan, option):
        from calm_relay.planning.handover.settings_sheet import setting_rows

        rows = setting_rows(option)
        self._fill(
            "settings", rows, ("unit", "setting", "value", "beware"), f"{len(rows) - 1} values to key in, unit by unit",
            "Why each stands so is on the printed sheet. Makers name these otherwise: go by the meaning.",
            shares={"unit": 0.2, "setting": 0.2, "value": 0.25, "beware": 0.35},
        )  # fmt: skip

    def _draw_steps(self, plan, option):
        from calm_relay.planning.handover.work_order import step_rows

        rows = step_rows(option)
        self._fill(
            "steps", rows, ("number", "stage", "step", "isolated first", "to measure"), f"{len(rows) - 1} steps",
            "Isolate and prove dead before touching mains or battery; local codes go before this sheet.",
            shares={"step": 0.5, "isolated first": 0.2, "to measure": 0.3},
        )  # fmt: skip

    def _draw_growth(self, plan, option):
        from calm_relay.planning.studies.growth import LATER_YEARS, growth_of

        self.title.setText("What was left room for, and whether more is better now or later")
        self.note.setText(
            f"Later is in {LATER_YEARS} years, at today's prices, with a visit, design and permit of its own. Worth: "
            f"net present value over the job's years, by the bill alone. {self._weather(plan)}"
        )
        if self._asked is not option:
            self._asked, self._grown = option, None
            self.study_wanted.emit("growth", growth_of)
        self.growth.show_growth(self._grown)

    def show_study(self, key, result):
        """Shows the offer, or what was left room for."""
        if key == "growth":
            self._grown = result
            self.growth.show_growth(result)
        elif key == "offer":
            self._offer = result
            if self.tabs.key == "offer" and self._view is not None:
                self._draw()

    @property
    def settled(self) -> bool:
        """Whether what was asked for last is shown."""
        offered = self._offered is None or self._offer is not None
        return offered and (self._asked is None or self._grown is not None)

    def forget(self) -> None:
        """The next view asks anew."""
        super().forget()
        self._asked = self._grown = self._offered = self._offer = None

    def let_go(self) -> None:
        """Holds the option it asked about no longer."""
        super().let_go()
        self._asked = self._grown = self._offered = self._offer = None

    def _draw_application(self, plan, option):
        from calm_relay.planning.handover.application import CAUTION, application_rows

        if not plan.job.supply.on_grid:
            self._fill("application", [["figure", "value"]], ("figure", "value"), "Off grid nobody is asked", "")
            return
        self._fill("application", application_rows(option)[:1] + application_rows(option)[2:], ("figure", "value"),
                   "Figures that the network operator's form asks for", CAUTION)  # fmt: skip

    def _ask_firm(self):
        try:
            firm = read_firm()
        except InputError as error:
            self._say(f"{error}. It is left as it is; an empty one is shown.")
            firm = Firm()
        dialog = FormDialog("Firm at the head of the papers", firm, FIRM_ROWS, self.window())
        if not dialog.exec():
            return
        try:
            keep_firm(dialog.result_model)
        except OSError as error:
            self._say(f"The firm was not kept: {error.strerror or error}.")
        else:
            self.problem.hide()

    def _say(self, text):
        self.problem.setText(text)
        self.problem.show()


def _offer(plan, option, progress):
    """The offer of the option in view; None of one that cannot be built."""
    from calm_relay.planning.handover.offer import offer_of
    from calm_relay.planning.verdict.option import Option

    return offer_of(plan, option, progress) if isinstance(option, Option) else None


def _words(value):
    """A cell as it is shown."""
    if value is None:
        return ""
    return f"{value:,.6g}" if isinstance(value, float) else str(value)
