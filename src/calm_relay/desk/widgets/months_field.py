"""A season as months, typed in words; empty for all the year."""

from PySide6.QtWidgets import QLineEdit

from calm_relay.job.months import months_text, read_months


class MonthsField(QLineEdit):
    """Shows and reads months; `name` is what it is told by."""

    def __init__(self, name: str, what: str, months: tuple[int, ...] = (), parent=None):
        super().__init__(parent)
        self._what = what
        self.setAccessibleName(name)
        self.setPlaceholderText("all year")
        self.setToolTip("Its season, such as Nov to Feb, or Apr, Jun; empty for all the year")
        self.setMinimumWidth(80)
        self.show_value(months)

    def show_value(self, months: tuple[int, ...]) -> None:
        """Shows months; none for all the year."""
        self.setText(months_text(months) if months else "")

    @property
    def value(self) -> tuple[int, ...]:
        """The months as typed.

        Raises
        ------
        ValueError
            When they are no months; it names what they are of.
        """
        try:
            return read_months(self.text())
        except ValueError as error:
            raise ValueError(f"{self._what}: {error}") from None
