"""One circuit of the board as fields in a row."""

from collections.abc import Iterable
from typing import get_args

from PySide6.QtWidgets import QCheckBox, QLineEdit, QPushButton

from calm_relay.desk.widgets.choice_field import ChoiceField
from calm_relay.desk.widgets.label import tip
from calm_relay.desk.widgets.quantity_field import QuantityField
from calm_relay.desk.widgets.ranged_spin import RangedSpin
from calm_relay.job.backup_board import LEGS, Circuit, CountsAs
from calm_relay.job.circuit_kinds import CIRCUITS
from calm_relay.job.field_range import range_of
from calm_relay.job.model import Supply

ROLES = [(name, name) for name in ("backed up", "shed", "grid only")]
OFF_GRID_ROLES = [("backed up", "stays on"), ("shed", "shed"), ("grid only", "left off")]
# What hangs across has another name where the phases are three.
ACROSS = {"split": "across", "three": "all", "three-wire": "all"}
COUNTS = [(name, name) for name in get_args(CountsAs)]
HEADS = (
    "Circuit",
    "Breaker",
    "Phase",
    "Of the house",
    "Loads",
    "In an outage",
    "Shed below",
    "Priority",
    "Soft start",
)
SERVICE_HEADS = ("Nameplate", "Counts as")
FIRST = {
    "name": "Circuit",
    "breaker_a": 16,
    "house_share": 0.0,
    "role": "backed up",
    "shed_below": 0.0,
    "priority": 5,
}


def heads_on(supply: Supply) -> tuple[str, ...]:
    """Heads of the fields on a service."""
    other = {"Phase": "Leg"} if supply.phases == "split" else {}
    if not supply.on_grid:
        other["In an outage"] = "Is fed"
    return tuple(other.get(head, head) for head in HEADS)


def names_in(text: str, known: Iterable[str]) -> tuple[str, ...]:
    """Names parted by commas; one that is known may hold commas of its own."""
    parts = [part.strip() for part in text.split(",") if part.strip()]
    by_parts = {tuple(part.strip() for part in name.split(",") if part.strip()): name for name in known}
    names, at = [], 0
    while at < len(parts):
        ends = range(len(parts), at, -1)
        end = next((end for end in ends if tuple(parts[at:end]) in by_parts), at + 1)
        names.append(by_parts.get(tuple(parts[at:end]), parts[at]))
        at = end
    return tuple(names)


def _leg_words(phases: str, leg: str) -> str:
    if leg == "across":
        return ACROSS.get(phases, leg)
    names = dict(enumerate(CIRCUITS[phases].short, 1))
    return names.get(int(leg), leg)


class CircuitRow:
    """The fields of one circuit; what a row does not show it keeps.

    `service` shows what the circuit counts as in the dwelling's load; `before` is what the job calls it, None where it
    is new.
    """

    before: str | None = None

    def __init__(self, number, circuit, known, show_text, service: bool, supply: Supply):
        name, phases = f"Circuit {number}", supply.phases
        self._circuit, self._service, self._known = circuit, service, known
        self.name = QLineEdit(circuit["name"])
        self.name.setAccessibleName(f"{name}: name")
        self.breaker = QuantityField(f"{name}: breaker", "A", range_of(Circuit, "breaker_a"), 0)
        places = LEGS.get(phases, ())
        # What no circuit of this service hangs on is shown where a job has it, to be put right.
        stated = circuit.get("leg")
        offered = [*places, *(() if stated is None or stated in places else (stated,))]
        entries = [(leg, _leg_words(phases, leg)) for leg in offered]
        word = "leg" if phases == "split" else "phase"
        self.leg = ChoiceField(f"{name}: {word}", entries if places else [(None, "–"), *entries], width=5)
        self.share = QuantityField(
            f"{name}: share of the house's own demand", "%", range_of(Circuit, "house_share").times(100), 0
        )
        self.loads = QLineEdit(", ".join(circuit.get("loads", ())))
        self.loads.setCursorPosition(0)
        self.loads.setAccessibleName(f"{name}: loads, parted by commas")
        self.loads.setToolTip(tip(f"Loads of the demand: {', '.join(known) or 'none'}"))
        on_grid = supply.on_grid
        fed = f"{name}: {'when the grid is down' if on_grid else 'is fed'}"
        self.role = ChoiceField(fed, ROLES if on_grid else OFF_GRID_ROLES, width=9)
        self.below = QuantityField(f"{name}: shed below", "%", range_of(Circuit, "shed_below").times(100), 0)
        self.priority = RangedSpin(f"{name}: priority, 1 is kept longest", "", range_of(Circuit, "priority"))
        self.soft = QCheckBox()
        self.soft.setAccessibleName(f"{name}: motors start softly")
        self.nameplate = QuantityField(
            f"{name}: nameplate, empty is what its loads draw", "kVA", range_of(Circuit, "nameplate_kva")
        )
        self.nameplate.setPlaceholderText("as drawn")
        self.counts = ChoiceField(f"{name}: counts in the dwelling's load as", COUNTS, width=9)
        self.gone = QPushButton("Remove")
        self.gone.setObjectName("small")
        self.gone.setAccessibleName(f"{name}: remove")
        self._show(circuit)
        for field in (self.breaker, self.share, self.below, self.priority, self.nameplate):
            field.refused.connect(show_text)
        widths = (
            (self.breaker, 62),
            (self.share, 62),
            (self.below, 62),
            (self.priority, 56),
            (self.nameplate, 78),
        )
        for field, width in widths:
            field.setFixedWidth(width)
        self.name.setMinimumWidth(150)
        self.loads.setMinimumWidth(130)

    def _show(self, circuit):
        self.breaker.show_value(circuit["breaker_a"])
        self.leg.show_value(circuit.get("leg"))
        self.share.show_value(circuit["house_share"] * 100)
        self.role.show_value(circuit["role"])
        self.below.show_value(circuit["shed_below"] * 100)
        self.priority.show_value(circuit["priority"])
        self.soft.setChecked(circuit.get("soft_start", False))
        self.nameplate.show_value(circuit.get("nameplate_kva"))
        self.counts.show_value(circuit.get("counts_as", "floor area"))

    @property
    def parts(self):
        """Widgets in the order of `HEADS`, with those of `SERVICE_HEADS` where they are shown."""
        first = self.name, self.breaker, self.leg, self.share, self.loads
        own = *first, self.role, self.below, self.priority, self.soft
        return (*own, *((self.nameplate, self.counts) if self._service else ()), self.gone)

    @property
    def value(self):
        """The circuit as typed."""
        shown = {
            "name": self.name.text().strip(),
            "breaker_a": self.breaker.value,
            "leg": self.leg.currentData(),
            "house_share": (self.share.value or 0.0) / 100.0,
            "loads": names_in(self.loads.text(), self._known),
            "role": self.role.currentData(),
            "shed_below": (self.below.value or 0.0) / 100.0,
            "priority": self.priority.value(),
            "soft_start": self.soft.isChecked(),
        }
        if self._service:
            shown |= {"nameplate_kva": self.nameplate.value, "counts_as": self.counts.currentData()}
        return {**self._circuit, **shown}
