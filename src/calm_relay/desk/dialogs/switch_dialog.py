"""Another tariff from a year on: which, and when."""

from PySide6.QtWidgets import QGridLayout

from calm_relay.desk.dialogs.form_dialog import AnswerDialog
from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import Label
from calm_relay.desk.widgets.ranged_spin import RangedSpin
from calm_relay.job.field_range import range_of
from calm_relay.job.finance import TariffSwitch

NEVER = "never"


class SwitchDialog(AnswerDialog):
    """Asks for a `job.finance.TariffSwitch`; `switch` after it was accepted, None for no change of tariff.

    Parameters
    ----------
    switch : TariffSwitch or None
        As the job has it.
    tariffs : sequence of Tariff
        Own ones.
    currency : str
        Of the job: only tariffs in it are offered.
    """

    def __init__(self, switch, tariffs, currency: str, parent=None):
        super().__init__("Another tariff later", parent)
        self.switch = switch
        offered = [tariff for tariff in tariffs if tariff.currency == currency]
        if switch is not None and switch.tariff not in offered:
            offered.insert(0, switch.tariff)
        self._tariffs = {f"tariff {number}": tariff for number, tariff in enumerate(offered)}
        entries = [(NEVER, "none, today's stays")]
        entries += [(key, tariff.name or "without a name") for key, tariff in self._tariffs.items()]
        self.tariff = ChoiceField("Tariff then", entries, width=30)
        held = (key for key, tariff in self._tariffs.items() if switch is not None and tariff == switch.tariff)
        self.tariff.show_value(next(held, NEVER))
        self.after = RangedSpin("After", " years", range_of(TariffSwitch, "after"))
        self.after.show_value(switch.after if switch is not None else 2)
        grid = QGridLayout()
        for row, (words, field) in enumerate((("Tariff then", self.tariff), ("After", self.after))):
            label = Label(words)
            label.setBuddy(field)
            grid.addWidget(label, row, 0)
            grid.addWidget(field, row, 1)
        self.put_together(
            grid,
            "Own tariffs in the job's currency are offered; keep one under a name in the tariff's dialog on Grid. The "
            "batteries are run as today.",
        )

    def take(self) -> None:
        """Takes what is chosen."""
        tariff = self._tariffs.get(self.tariff.currentData())
        self.switch = None if tariff is None else TariffSwitch(after=self.after.value(), tariff=tariff)
        self.accept()
