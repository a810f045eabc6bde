"""The single-line diagram as a file: SVG, PDF or DXF, on a sheet with a title block."""

from datetime import date
from pathlib import Path

from PySide6.QtCore import QBuffer, QByteArray, QIODevice, QMarginsF, QSizeF
from PySide6.QtGui import QPageLayout, QPageSize, QPdfWriter

from calm_relay import __version__
from calm_relay.desk.output.pages import paper_of
from calm_relay.desk.widgets.drawing_picture import paint_drawing
from calm_relay.desk.widgets.painted import painting
from calm_relay.desk.widgets.theme import plain_letters
from calm_relay.exchange.files import write_atomically
from calm_relay.planning.common.cautions import who_decides
from calm_relay.planning.drawing.sheet import TitleBlock, on_paper
from calm_relay.planning.drawing.single_line import single_line
from calm_relay.planning.drawing.site_plan import site_plan

CAUTION = "A plan, not a permission: {} decide. Sizes to be checked against the standard itself."
MM_PER_INCH = 25.4
DPI = 600


def paper_for(plan) -> str:
    """The paper of a plan's diagrams: the job's, else twice the letter paper of the country."""
    if plan.job.wiring.paper is not None:
        return plan.job.wiring.paper
    return "Tabloid" if paper_of(plan).id() == QPageSize.PageSizeId.Letter else "A3"


def diagram_of(option, today: date, paper: str, *, site: bool = False):
    """The diagram of an option on a sheet, or its site plan.

    Parameters
    ----------
    option : planning.verdict.option.Option
        An option that can be built.
    today : date
        For the title block.
    paper : str
        One of `planning.drawing.sheet.PAPERS`.
    site : bool
        Whether it is the site plan.

    Raises
    ------
    ValueError
        When the region has no tables of wires, or the paper is another.
    """
    job = option.context.job
    plan = option.wiring
    if plan is None:
        raise ValueError(f"region: there are no tables of wires for {job.region!r}; wanted a region that has them")
    wiring = job.wiring
    stopped = "Not to be built as it stands: the plan says what stops it. " if option.stopped else ""
    block = TitleBlock(
        job.name,
        option.title,
        f"{today:%Y-%m-%d}",
        f"Calm Relay {__version__}, {plan.tables.symbols}",
        wiring.drawn_by,
        wiring.checked_by,
        wiring.revision,
        plan.rules.words(f"{stopped}{CAUTION.format(who_decides(job.supply))} Sizes by {plan.tables.summary}."),
    )
    title = f"{job.name}: {option.title}"
    if site:
        drawing = site_plan(plan, option.design, option.context, wiring, f"{title}, site plan")
    else:
        drawing = single_line(plan, wiring, title)
    return on_paper(drawing, block, paper)


def write_diagram(option, path: Path, today: date, paper: str, *, site: bool = False) -> None:
    """Writes the diagram, or the site plan, by its file's ending: .svg, .pdf or .dxf.

    Raises
    ------
    ValueError
        For another ending, or where the region has no tables of wires.
    OSError
        When the file cannot be written.
    """
    sheet = diagram_of(option, today, paper, site=site)
    kind = path.suffix.lower()
    if kind == ".svg":
        from calm_relay.exchange.svg_drawing import write_svg

        write_svg(sheet, path)
    elif kind == ".dxf":
        from calm_relay.exchange.dxf_drawing import write_dxf

        write_dxf(sheet, path)
    elif kind == ".pdf":
        write_atomically(path, pdf_of(sheet))
    else:
        raise ValueError(f"{path.name}: a diagram ends in .svg, .pdf or .dxf")


def pdf_of(sheet) -> bytes:
    """A sheet as PDF with text that can be searched and copied."""
    content = QByteArray()
    buffer = QBuffer(content)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    with plain_letters():
        writer = QPdfWriter(buffer)
        writer.setResolution(DPI)
        size = QSizeF(min(sheet.width, sheet.height), max(sheet.width, sheet.height))
        writer.setPageSize(QPageSize(size, QPageSize.Unit.Millimeter))
        lies = sheet.width > sheet.height
        writer.setPageOrientation(QPageLayout.Orientation.Landscape if lies else QPageLayout.Orientation.Portrait)
        writer.setPageMargins(QMarginsF(0, 0, 0, 0))
        writer.setTitle(sheet.title)
        writer.setCreator(f"Calm Relay {__version__}")
        with painting(writer) as painter:
            paint_drawing(painter, sheet, DPI / MM_PER_INCH, on_paper=True)
    buffer.close()
    return bytes(content.data())
