"""Parting with widgets that stood for a job that is no more."""

from PySide6.QtWidgets import QLayout, QWidget


def let_go(widget: QWidget | None) -> None:
    """Deletes a widget; until it is gone nothing in it tells of an edit any more, and it is seen no more."""
    if widget is None:
        return
    for part in (widget, *widget.findChildren(QWidget)):
        part.blockSignals(True)
    widget.hide()
    widget.deleteLater()


def let_all_go(layout: QLayout) -> None:
    """Deletes every widget of a layout."""
    while layout.count():
        let_go(layout.takeAt(0).widget())
