"""What is changed for all jobs of a book, and where they are planned."""

from PySide6.QtWidgets import QCheckBox, QGridLayout, QLineEdit

from calm_relay.desk.dialogs.form_dialog import AnswerDialog
from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import Label
from calm_relay.planning.book.change import Change

AS_IT_IS, OF_THE_DESK, OF_THE_FIRM = "as it is", "of the job on the desk", "of the firm"


class ChangeDialog(AnswerDialog):
    """Asks for a `planning.book.change.Change`: `change` after it was accepted; `scheduler` is the address typed.

    Parameters
    ----------
    job : Job
        On the desk: its tariff, prices and rules are offered.
    tariffs : sequence of Tariff
        Own ones.
    costs : Costs or None
        The firm's price list.
    packs : mapping of str to RulePack
        Rule packs.
    scheduler : str
        The address typed last.
    """

    def __init__(self, job, tariffs, costs, packs, scheduler="", parent=None):
        super().__init__("Replan all under a change", parent)
        self._job, self._costs = job, costs
        self._tariffs = {f"own {number}": tariff for number, tariff in enumerate(tariffs)}
        self.change, self.scheduler = None, scheduler
        each = [(AS_IT_IS, "as each job has it")]
        named = job.tariff.name or "without a name"
        self.tariff = ChoiceField(
            "Tariff",
            [
                *each,
                (OF_THE_DESK, f"of the job on the desk ({named})"),
                *((key, f"{tariff.name} ({tariff.currency})") for key, tariff in self._tariffs.items()),
            ],
            width=36,
        )
        self.on_tariff = QLineEdit()
        self.on_tariff.setAccessibleName("Only for jobs on the tariff")
        self.on_tariff.setPlaceholderText("all that pay in its currency")
        self.on_tariff.setMaxLength(80)
        prices = [*each, (OF_THE_DESK, "of the job on the desk")]
        self.prices = ChoiceField(
            "Price list", prices + ([(OF_THE_FIRM, "the firm's")] if costs else []), width=36
        )
        rules = [*each, *((key, pack.name) for key, pack in packs.items())]
        self.rules = ChoiceField("Rules", rules, width=36)
        for field in (self.tariff, self.prices, self.rules):
            field.show_value(AS_IT_IS)
        self.newest = QCheckBox("Equipment as the library has it now")
        self.address = QLineEdit(scheduler)
        self.address.setAccessibleName("Dask scheduler")
        self.address.setPlaceholderText("none: all cores of this machine")
        grid = QGridLayout()
        for number, (words, field) in enumerate(
            (
                ("Tariff", self.tariff),
                ("Only for jobs on the tariff", self.on_tariff),
                ("Price list", self.prices),
                ("Rules", self.rules),
                ("", self.newest),
                ("Dask scheduler", self.address),
            )
        ):
            label = Label(words)
            label.setBuddy(field)
            grid.addWidget(label, number, 0)
            grid.addWidget(field, number, 1)
        self.put_together(
            grid, "No job is changed: each is planned as it is and as it would be, and both are held side by side."
        )

    def take(self) -> None:
        """Takes what is asked for; says what is missing, and stays open."""
        tariff, prices, rules = (field.currentData() for field in (self.tariff, self.prices, self.rules))
        only = self.on_tariff.text().strip()
        if only and tariff == AS_IT_IS:
            self.show_text("A tariff names whom the new one is for: choose the new one, or leave it empty.")
            return
        own = {AS_IT_IS: None, OF_THE_DESK: self._job.tariff, **self._tariffs}
        costs = {AS_IT_IS: None, OF_THE_DESK: self._job.costs, OF_THE_FIRM: self._costs}
        change = Change(
            tariff=own[tariff],
            on_tariff=only,
            costs=costs[prices],
            region=None if rules == AS_IT_IS else rules,
            newest=self.newest.isChecked(),
        )
        if change.is_none:
            self.show_text("Nothing is changed yet: choose a tariff, prices, rules or the newest equipment.")
            return
        self.change, self.scheduler = change, self.address.text().strip()
        self.accept()
