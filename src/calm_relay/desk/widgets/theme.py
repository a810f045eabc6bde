"""Colours, each with one meaning, and the bundled font."""

from contextlib import contextmanager
from dataclasses import dataclass

from PySide6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PySide6.QtWidgets import QApplication

from calm_relay.data import shipped
from calm_relay.planning.common.severity import Severity

FAMILY = "Inter"
BASE_POINTS = 9.5


@dataclass(frozen=True)
class Colours:
    """Paper and ink, two strokes for current, and three for findings."""

    paper: str = "#f7f4ee"
    card: str = "#fdfcf9"
    rule: str = "#d9d3c6"
    ink: str = "#22302e"
    quiet: str = "#5f6966"
    field: str = "#e6e0d4"
    light: str = "#a87412"
    direct: str = "#75486b"
    alternating: str = "#1f6b67"
    stop: str = "#a3342a"
    check: str = "#8f5f12"
    ok: str = "#3f7443"
    muted: str = "#a8aca5"

    def of(self, severity: Severity) -> str:
        """Colour of a finding."""
        return {Severity.STOP: self.stop, Severity.CHECK: self.check, Severity.OK: self.ok}[severity]


LIGHT = Colours()
DARK = Colours(
    paper="#1c2322",
    card="#252d2c",
    rule="#3b4644",
    ink="#e9e5db",
    quiet="#a9b2ae",
    field="#35403e",
    light="#dcaa4c",
    direct="#c79abb",
    alternating="#62b8b1",
    stop="#e5857a",
    check="#dba94f",
    ok="#86bf8a",
    muted="#66716e",
)
LOOKS = {"light": LIGHT, "dark": DARK}
_IN_FORCE = "calm_relay_look"
_ON_PAPER = "calm-relay-on-paper"


def colours() -> Colours:
    """The colours the application is dressed in."""
    running = QApplication.instance()
    return LOOKS[(running and running.property(_IN_FORCE)) or "light"]


SHADES = ("light", "direct", "alternating", "ink", "muted", "quiet")


def shade_of(number: int) -> str:
    """Colour by which one of several faces or parts is told; a number or a word stands beside it."""
    return getattr(colours(), SHADES[number % len(SHADES)])


SEVERITY_WORD = {Severity.STOP: "stops", Severity.CHECK: "check", Severity.OK: "OK"}


def font(points: float = BASE_POINTS, *, strong=False, italic=False) -> QFont:
    """The bundled font; figures are of equal width so that columns of numbers align."""
    made = QFont(FAMILY)
    made.setPointSizeF(points)
    made.setItalic(italic)
    if strong:
        made.setWeight(QFont.Weight.DemiBold)
    on_paper = bool(QApplication.instance() and QApplication.instance().property(_ON_PAPER))
    made.setFeature(QFont.Tag("tnum"), 0 if on_paper else 1)
    if on_paper:
        # Other shapes of a letter have no letter of their own in a file: they could not be searched or copied.
        for feature in ("calt", "case", "ccmp", "liga"):
            made.setFeature(QFont.Tag(feature), 0)
    return made


@contextmanager
def plain_letters():
    """Fonts whose every letter can be read back from a file."""
    running = QApplication.instance()
    running.setProperty(_ON_PAPER, True)
    try:
        yield
    finally:
        running.setProperty(_ON_PAPER, False)


def dress(application: QApplication, look: str = "light") -> None:
    """Gives the application its font and palette; `look` is "light" or "dark".

    The style sheet is each window's own: a change of look makes a window anew, and those that go are not dressed again.
    """
    first = application.property(_IN_FORCE) is None
    application.setProperty(_IN_FORCE, look)
    colours = LOOKS[look]
    if first:
        for name in ("Inter-Regular.otf", "Inter-SemiBold.otf", "Inter-Italic.otf"):
            QFontDatabase.addApplicationFont(str(shipped(f"fonts/{name}")))
        application.setStyle("Fusion")
        application.setFont(font())
    palette = QPalette()
    roles = {
        QPalette.ColorRole.Window: colours.paper,
        QPalette.ColorRole.Base: colours.card,
        QPalette.ColorRole.AlternateBase: colours.paper,
        QPalette.ColorRole.Button: colours.paper,
        QPalette.ColorRole.WindowText: colours.ink,
        QPalette.ColorRole.Text: colours.ink,
        QPalette.ColorRole.ButtonText: colours.ink,
        QPalette.ColorRole.ToolTipBase: colours.card,
        QPalette.ColorRole.ToolTipText: colours.ink,
        QPalette.ColorRole.PlaceholderText: colours.quiet,
        QPalette.ColorRole.Highlight: colours.alternating,
        QPalette.ColorRole.HighlightedText: colours.card,
        QPalette.ColorRole.Mid: colours.rule,
    }
    for role, value in roles.items():
        palette.setColor(role, QColor(value))
    written = "WindowText", "Text", "ButtonText", "PlaceholderText"
    for role in (QPalette.ColorRole[name] for name in written):
        palette.setColor(QPalette.ColorGroup.Disabled, role, QColor(colours.muted))
    palette.setColor(QPalette.ColorGroup.Disabled, QPalette.ColorRole.Base, QColor(colours.paper))
    application.setPalette(palette)


def style_sheet(colours: Colours) -> str:
    """Borders and grounds of the plain widgets."""
    return f"""
    QMenuBar, QMenuBar::item {{ background: {colours.paper}; }}
    QMenuBar::item:selected, QMenu::item:selected {{ background: {colours.field}; color: {colours.ink}; }}
    QMenu {{ background: {colours.card}; border: 1px solid {colours.rule}; }}
    QScrollArea, QScrollArea > QWidget > QWidget {{ background: transparent; border: none; }}
    QFrame#card {{ background: {colours.card}; border: 1px solid {colours.rule}; border-radius: 3px; }}
    QFrame#rule {{ background: {colours.rule}; border: none; }}
    QDialogButtonBox {{ dialogbuttonbox-buttons-have-icons: 0; }}
    QLabel#qt_msgboxex_icon_label {{ max-width: 0; max-height: 0; }}
    QLabel#quiet {{ color: {colours.quiet}; }}
    QLabel#refused {{ color: {colours.stop}; }}
    QPushButton {{ background: {colours.card}; border: 1px solid {colours.ink}; border-radius: 4px;
                   padding: 4px 10px; text-align: left; }}
    QDialogButtonBox QPushButton {{ text-align: center; }}
    QPushButton:hover {{ background: {colours.field}; }}
    QPushButton:focus {{ border: 2px solid {colours.alternating}; padding: 3px 9px; }}
    QPushButton#small {{ border-color: {colours.rule}; padding: 2px 8px; font-size: 8.5pt; }}
    QPushButton#small:checked {{ background: {colours.field}; border-color: {colours.ink}; }}
    QPushButton#small:focus {{ border: 2px solid {colours.alternating}; padding: 1px 7px; }}
    QPushButton:disabled {{ color: {colours.muted}; border-color: {colours.rule}; }}
    QPushButton#option {{ border-color: {colours.rule}; padding: 0 10px; }}
    QPushButton#option:checked {{ border: 2px solid {colours.ink}; background: {colours.field};
                                  padding: 0 9px; }}
    QPushButton#option[long="true"] {{ font-size: 8.2pt; }}
    QPushButton#option[low="true"] {{ padding: 0 8px; font-size: 8.5pt; text-align: left; }}
    QPushButton#option[low="true"]:checked {{ padding: 0 7px; }}
    QPushButton#option:focus {{ border: 2px solid {colours.alternating}; padding: 0 9px; }}
    QScrollBar:vertical {{ background: transparent; width: 8px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {colours.rule}; border-radius: 4px; min-height: 24px; }}
    QScrollBar:horizontal {{ background: transparent; height: 8px; margin: 0; }}
    QScrollBar::handle:horizontal {{ background: {colours.rule}; border-radius: 4px; min-width: 24px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
    QTableView, QHeaderView, QHeaderView::section, QListView {{ background: {colours.card}; border: none; }}
    QHeaderView::section {{ color: {colours.quiet}; padding: 2px 4px; font-size: 8.5pt; font-weight: 400; }}
    QTableView::item:selected, QListView::item:selected {{ background: {colours.field}; color: {colours.ink}; }}
    QToolTip {{ background: {colours.card}; color: {colours.ink}; border: 1px solid {colours.rule};
                padding: 4px; }}
    """
