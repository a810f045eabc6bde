"""Pictures as SVG and PNG, painted by whatever paints them on screen."""

from pathlib import Path

from PySide6.QtCore import QBuffer, QByteArray, QIODevice, QRect, QSize
from PySide6.QtGui import QColor, QImage
from PySide6.QtSvg import QSvgGenerator

from calm_relay.desk.widgets.painted import painting
from calm_relay.desk.widgets.theme import LIGHT
from calm_relay.exchange.files import write_atomically

FINE = 2


def save_picture(paint, width: int, height: int, path: Path, title: str) -> None:
    """Saves a picture by its file's ending, .svg or .png (at twice the pixels).

    Parameters
    ----------
    paint : callable
        Takes a QPainter and paints within width and height.
    width, height : int
        Logical pixels.
    path : Path
        The file.
    title : str
        Told in an SVG.

    Raises
    ------
    ValueError
        For another ending.
    OSError
        When the file cannot be written.
    """
    kind = path.suffix.lower()
    content = QByteArray()
    buffer = QBuffer(content)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    if kind == ".svg":
        device = QSvgGenerator()
        device.setOutputDevice(buffer)
        device.setSize(QSize(width, height))
        device.setViewBox(QRect(0, 0, width, height))
        device.setTitle(title)
    elif kind == ".png":
        device = QImage(width * FINE, height * FINE, QImage.Format.Format_ARGB32)
        device.fill(QColor(LIGHT.paper))
    else:
        raise ValueError(f"{path.name}: a picture ends in .svg or .png")
    with painting(device) as painter:
        if kind == ".png":
            painter.scale(FINE, FINE)
        paint(painter)
    if kind == ".png":
        device.save(buffer, "PNG")
    buffer.close()
    write_atomically(path, bytes(content.data()))
