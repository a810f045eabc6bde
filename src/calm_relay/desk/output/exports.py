"""Everything of a plan as files: lines, scales and diagrams as SVG, PNG and DXF, tables as CSV and XLSX."""

from datetime import date
from functools import partial
from pathlib import Path

from PySide6.QtCore import QRect, QRectF

from calm_relay.desk.charts.scale_rows import ScaleRows
from calm_relay.desk.energy_path.path_picture import HEIGHT, LinePicture
from calm_relay.desk.output.diagram_file import paper_for, write_diagram
from calm_relay.desk.output.picture_file import save_picture
from calm_relay.desk.view import LETTERS
from calm_relay.desk.widgets.theme import LIGHT
from calm_relay.exchange.table_file import write_tables
from calm_relay.planning.views.energy_path import line_of
from calm_relay.planning.views.scales import compared, loss_scales_of, scales_of
from calm_relay.planning.views.tables import tables_of

WIDE = 1040


def export_plan(plan, folder: Path) -> list[Path]:
    """Writes pictures and tables of a plan; returns the files.

    Raises
    ------
    OSError
        When the folder cannot be written.
    """
    written = write_tables(tables_of(plan), folder)
    for option in plan.options:
        picture = LinePicture(line_of(plan, option), QRectF(0, 0, WIDE, HEIGHT), LIGHT)
        for kind in ("svg", "png"):
            written.append(folder / f"line-{option.key}.{kind}")
            save_picture(picture.paint, WIDE, round(HEIGHT) + 8, written[-1], option.title)
    for option in plan.live if plan.live[0].context.survey.wires is not None else ():
        for kind in ("svg", "dxf"):
            written.append(folder / f"diagram-{option.key}.{kind}")
            write_diagram(option, written[-1], date.today(), paper_for(plan))
    keys = [option.key for option in plan.options]
    shown = keys.index(plan.choice.key) if plan.choice.key else 0
    for name, scales in (("comparison", scales_of(plan)), ("losses", loss_scales_of(plan))):
        rows = ScaleRows(scales, LETTERS[: len(keys)], shown, plan.assumed_note, LIGHT, compared(plan, shown))
        for kind in ("svg", "png"):
            written.append(folder / f"{name}.{kind}")
            save_picture(
                lambda painter, rows=rows: rows.paint(painter, 720),
                720,
                round(rows.height),
                written[-1],
                plan.job.name,
            )
    return written


def chart_writers(bench, folder: Path, name: str) -> list:
    """One call a picture for the charts of a bench, as they are drawn; each may raise OSError."""
    from calm_relay.desk.charts.chart import Chart

    writers = []
    shown = [chart for chart in bench.findChildren(Chart) if chart.isVisible()]
    for number, chart in enumerate(shown, 1):
        whole = QRect(0, 0, chart.width(), chart.height())

        def paint(painter, chart=chart, whole=whole):
            chart.render(painter, QRectF(whole), whole)

        for kind in ("svg", "png"):
            path = folder / f"{name.lower()}-{number}.{kind}"
            writers.append(
                partial(save_picture, paint, whole.width(), whole.height(), path, chart.accessibleName())
            )
    return writers
