"""Whether lengths and areas are shown in feet: as the region of the job in the window measures."""

from PySide6.QtCore import QObject, Signal

from calm_relay.job.quantity import IN_FEET, length_text, shown_unit


class Measures(QObject):
    """What fields and pictures show lengths in; what is kept is in metres always.

    Signals
    -------
    changed
        Lengths are shown otherwise from now on.
    """

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._in_feet = False

    def show_feet(self, on: bool) -> None:
        """Has lengths shown in feet, or in metres."""
        if on != self._in_feet:
            self._in_feet = on
            self.changed.emit()

    @property
    def in_feet(self) -> bool:
        """Whether lengths are shown in feet."""
        return self._in_feet

    @staticmethod
    def measures(unit: str) -> bool:
        """Whether what is kept in `unit` may be shown in another."""
        return unit in IN_FEET

    def shown(self, unit: str) -> tuple[str, float]:
        """The unit that a number kept in `unit` is shown in, and how much of `unit` one of it is."""
        return shown_unit(unit, self._in_feet)

    def words(self, metres: float) -> str:
        """A length with its unit."""
        return length_text(metres, self._in_feet)


MEASURES = Measures()
