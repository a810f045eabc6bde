"""Drawings as DXF of release 2010, a layer for each trade, in millimetres."""

import io
from pathlib import Path

from calm_relay.exchange.files import write_atomically
from calm_relay.exchange.shapes import Drawing, Stroke, Words
from calm_relay.exchange.table_file import plain_text

# Colour index of each layer, and the widths that lines may have [1/100 mm].
COLOURS = {
    "AC": 134,
    "DC": 214,
    "DATA": 8,
    "EARTH": 94,
    "PROTECTION": 7,
    "PARTS": 7,
    "WORDS": 7,
    "FRAME": 7,
}
WIDTHS = (13, 18, 20, 25, 30, 35, 40, 50, 60, 70, 100, 120)
THERE = "THERE_TODAY"


def dxf_of(drawing: Drawing) -> bytes:
    """A drawing as DXF; up is up, so heights count from the lower edge.

    Parameters
    ----------
    drawing : Drawing
        What is drawn.
    """
    from ezdxf.document import Drawing as Document
    from ezdxf.enums import TextEntityAlignment
    from ezdxf.filemanagement import new

    document: Document = new("R2010", setup=False, units=4)
    document.header["$INSUNITS"] = 4
    document.linetypes.add(THERE, pattern=[3.2, 2.0, -1.2], description="there today - - -")
    document.styles.add("WORDS", font="Inter-Regular.otf")
    for shape_layer, colour in COLOURS.items():
        document.layers.add(shape_layer, color=colour)
    space = document.modelspace()
    aligned = {
        "start": TextEntityAlignment.LEFT,
        "middle": TextEntityAlignment.CENTER,
        "end": TextEntityAlignment.RIGHT,
    }
    for shape in drawing.shapes:
        held: dict[str, object] = {"layer": shape.layer}
        if isinstance(shape, Words):
            words = space.add_text(
                _plain(shape.text), height=shape.size * 0.72, dxfattribs={**held, "style": "WORDS"}
            )
            words.set_placement((shape.at[0], drawing.height - shape.at[1]), align=aligned[shape.anchor])
            continue
        held |= {"lineweight": min(WIDTHS, key=lambda width: abs(width - shape.width * 100.0))}
        if shape.dashed:
            held["linetype"] = THERE
        if isinstance(shape, Stroke):
            points = [(x, drawing.height - y) for x, y in shape.points]
            space.add_lwpolyline(points, close=shape.closed, dxfattribs=held)
        elif shape.is_arc:
            centre = (shape.centre[0], drawing.height - shape.centre[1])
            space.add_arc(centre, shape.radius, shape.start, shape.end, dxfattribs=held)
        else:
            space.add_circle((shape.centre[0], drawing.height - shape.centre[1]), shape.radius, dxfattribs=held)
    stream = io.StringIO()
    document.write(stream)
    return stream.getvalue().encode(document.output_encoding, errors="dxfreplace")


def _plain(text: str) -> str:
    """A text in which nothing is a command: a per cent sign pair and a caret are two of them."""
    return plain_text(text).replace("\n", " ").replace("%%", "% %").replace("^", "^ ")


def write_dxf(drawing: Drawing, path: Path) -> None:
    """Writes a drawing as DXF.

    Raises
    ------
    OSError
        When the file cannot be written.
    """
    write_atomically(path, dxf_of(drawing))
