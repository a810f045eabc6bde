"""What is still being typed when a button is pressed is taken first; what is refused then holds the button back."""

from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtWidgets import QAbstractButton, QAbstractSpinBox, QApplication, QLineEdit, QWidget


def take_typed(field: QWidget | None) -> None:
    """Takes what is being typed in a field, as leaving it does."""
    if isinstance(field, QAbstractSpinBox):
        field.interpretText()
    elif isinstance(field, QLineEdit):
        field.editingFinished.emit()


class PressGuard(QObject):
    """Lets a button act, by mouse or key, unless what was typed last is refused by the same press.

    Whoever hears of a refusal calls `refuse`.

    Signals
    -------
    acts
        The button was pressed, and nothing holds it back.
    """

    acts = Signal()

    def __init__(self, button: QAbstractButton):
        super().__init__(button)
        self._refused = self._held = False
        button.pressed.connect(self._on_pressed)
        button.clicked.connect(self._on_clicked)

    def refuse(self) -> None:
        """Something that was typed was just refused; a press that did it acts no more."""
        self._refused = True
        # The field is left in the same turn in which the button is pressed; a later press is another's.
        QTimer.singleShot(0, self, self._forget)

    def _forget(self):
        self._refused = False

    def _on_pressed(self):
        take_typed(QApplication.focusWidget())
        self._held = self._refused

    def _on_clicked(self):
        held, self._held = self._held, False
        if not held:
            self.acts.emit()
        # What the act itself refused was not typed by this press.
        self._forget()
