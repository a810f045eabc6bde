"""Drawings as SVG: real text, one group a layer, sizes in millimetres."""

import math
from pathlib import Path
from xml.etree import ElementTree

from calm_relay.exchange.files import write_atomically
from calm_relay.exchange.shapes import Circle, Drawing, Shape, Stroke, Words
from calm_relay.exchange.table_file import plain_text

SPACE = "http://www.w3.org/2000/svg"
INK = {"DC": "#75486b", "AC": "#1f6b67", "DATA": "#5f6966", "EARTH": "#5f6966"}
BLACK = "#22302e"
# Dashes and gaps [mm].
DASHES, FINE_DASHES = (1.6, 1.0), (1.9, 1.5)


def svg_of(drawing: Drawing, font_family: str = "Inter, sans-serif") -> bytes:
    """A drawing as SVG.

    Parameters
    ----------
    drawing : Drawing
        What is drawn.
    font_family : str
        Fonts of its words, the first that is there is taken.
    """
    ElementTree.register_namespace("", SPACE)
    root = ElementTree.Element(
        f"{{{SPACE}}}svg",
        {
            "width": f"{drawing.width:g}mm",
            "height": f"{drawing.height:g}mm",
            "viewBox": f"0 0 {drawing.width:g} {drawing.height:g}",
            "version": "1.1",
        },
    )
    ElementTree.SubElement(root, f"{{{SPACE}}}title").text = plain_text(drawing.title)
    groups: dict[str, ElementTree.Element] = {}
    for shape in drawing.shapes:
        group = groups.get(shape.layer)
        if group is None:
            ink = INK.get(shape.layer, BLACK)
            group = groups[shape.layer] = ElementTree.SubElement(
                root, f"{{{SPACE}}}g", {"id": f"layer-{shape.layer.lower()}", "stroke": ink, "fill": "none"}
            )
        _add(group, shape, font_family)
    return ElementTree.tostring(root, encoding="utf-8", xml_declaration=True)


def _add(group: ElementTree.Element, shape: Shape, font_family: str) -> None:
    ink = group.get("stroke") or BLACK
    if isinstance(shape, Words):
        attributes = {
            "x": f"{shape.at[0]:.3f}",
            "y": f"{shape.at[1]:.3f}",
            "font-family": font_family,
            "font-size": f"{shape.size:.3f}",
            "text-anchor": shape.anchor,
            "stroke": "none",
            "fill": ink,
        }
        if shape.bold:
            attributes["font-weight"] = "600"
        element = ElementTree.SubElement(group, f"{{{SPACE}}}text", attributes)
        element.text = plain_text(shape.text)
    else:
        attributes = {"stroke-width": f"{shape.width:g}"}
        if shape.dashed:
            dashes = FINE_DASHES if shape.layer == "DATA" else DASHES
            attributes["stroke-dasharray"] = " ".join(f"{part:g}" for part in dashes)
        if shape.filled:
            attributes["fill"] = ink
        element = ElementTree.SubElement(group, f"{{{SPACE}}}path", {"d": _path(shape), **attributes})
    if shape.part:
        element.set("data-part", plain_text(shape.part))


def _path(shape: Stroke | Circle) -> str:
    if isinstance(shape, Stroke):
        points = " L ".join(f"{x:.3f} {y:.3f}" for x, y in shape.points)
        return f"M {points}{' Z' if shape.closed else ''}"
    (x, y), r = shape.centre, shape.radius
    if not shape.is_arc:
        return (
            f"M {x - r:.3f} {y:.3f} a {r:.3f} {r:.3f} 0 1 0 {2 * r:.3f} 0 a {r:.3f} {r:.3f} 0 1 0 {-2 * r:.3f} 0 Z"
        )
    start, end = math.radians(shape.start), math.radians(shape.end)
    large = 1 if shape.end - shape.start > 180.0 else 0
    return (
        f"M {x + r * math.cos(start):.3f} {y - r * math.sin(start):.3f} A {r:.3f} {r:.3f} 0 {large} 0 "
        f"{x + r * math.cos(end):.3f} {y - r * math.sin(end):.3f}"
    )


def write_svg(drawing: Drawing, path: Path) -> None:
    """Writes a drawing as SVG.

    Raises
    ------
    OSError
        When the file cannot be written.
    """
    write_atomically(path, svg_of(drawing))
