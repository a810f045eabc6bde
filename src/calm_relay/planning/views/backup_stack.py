"""Who is on the backed-up board: every circuit with its fate in an outage, stacked at the board's worst half hour."""

from dataclasses import dataclass

import numpy as np

from calm_relay.job.backup_board import Circuit
from calm_relay.job.circuit_kinds import CIRCUITS, Phases
from calm_relay.planning.common.vocabulary import Vocabulary, vocabulary_of
from calm_relay.planning.operation.backed_up_loads import BackedUpLoads, behind_relay, whole_house
from calm_relay.planning.operation.island import forming_kw, forms_grid
from calm_relay.planning.plan import Plan
from calm_relay.planning.verdict.option import Option, RefusedOption

ACROSS = {"split": "both legs", "three": "all phases", "three-wire": "all phases"}


@dataclass(frozen=True)
class StackRow:
    """A circuit: its breaker, its leg in words, what becomes of it in an outage, its draw in the half hour [kW]."""

    name: str
    breaker_a: float | None
    leg: str
    fate: str
    on: bool
    kw: float


@dataclass(frozen=True, eq=False)
class Stack:
    """The half hour in which what stays on in an outage stacks highest.

    `legs` holds by leg or phase what each circuit of `rows` draws on it [kW], those that are off with 0;
    `limit_kw` is what the inverter gives on each, None where none forms a grid; `grid` whether there is one.
    """

    at: np.datetime64
    rows: tuple[StackRow, ...]
    legs: dict[str, tuple[float, ...]]
    limit_kw: float | None
    owner: str
    words: Vocabulary

    @property
    def on_kw(self) -> float:
        """What stays on together [kW]."""
        return sum(row.kw for row in self.rows if row.on)


def stack_of(plan: Plan, option: Option | RefusedOption) -> Stack:
    """The board of a plan's option at its worst half hour; without a board the whole house is one circuit."""
    job, demand = plan.job, plan.demand
    converter = option.design.battery_converter if isinstance(option, Option) else None
    house = whole_house(job.backup_board, job.supply, demand)
    behind = (
        behind_relay(option.design, job, demand) if isinstance(option, Option) and forms_grid(converter) else None
    )
    stays_on = () if behind is None else behind.when_full.names
    reached = () if behind is None else behind.names
    if job.backup_board is None:
        stays_on = house.names if stays_on else ()
    on = np.array([name in stays_on for name in house.names], dtype=bool)
    at = (house.only(stays_on) if stays_on else house).worst_step
    by_name = {circuit.name: circuit for circuit in job.board.circuits} if job.backup_board else {}
    rows = []
    for number, name in enumerate(house.names):
        circuit = by_name.get(name)
        rows.append(
            StackRow(
                name,
                circuit.breaker_a if circuit else None,
                _on_leg(circuit, job.supply.phases),
                _fate(circuit, name in reached or not by_name, behind is not None, vocabulary_of(job.supply)),
                bool(on[number]),
                float(house.half_hours_kw[number, at]),
            )
        )
    phases = converter.inverter.phases if converter is not None else job.supply.phases
    count = min(CIRCUITS[phases].live, job.supply.circuit.live)
    return Stack(
        plan.site.calendar.wall[at],
        tuple(rows),
        _legs(house, on, at, job.supply.phases, count),
        forming_kw(option.design) / count if isinstance(option, Option) and forms_grid(converter) else None,
        converter.inverter.name if converter is not None else "",
        vocabulary_of(job.supply),
    )


def _legs(
    house: BackedUpLoads, on: np.ndarray, at: int, phases: Phases, count: int
) -> dict[str, tuple[float, ...]]:
    kw = np.where(on, house.half_hours_kw[:, at], 0.0)
    if count == 1:
        return {"Together": tuple(kw.tolist())}
    return {
        f"{place[0].upper()}{place[1:]}": tuple((kw * house.legs[:, leg]).tolist())
        for leg, place in enumerate(CIRCUITS[phases].places[:count])
    }


def _on_leg(circuit: Circuit | None, phases: Phases) -> str:
    """On which leg or phase a circuit hangs; empty where there is only one."""
    if circuit is None or phases == "single":
        return ""
    return ACROSS[phases] if circuit.leg == "across" else CIRCUITS[phases].places[int(circuit.leg or 1) - 1]


def _fate(circuit: Circuit | None, reached: bool, forms: bool, words: Vocabulary) -> str:
    if not forms:
        return words.nothing_forms
    if circuit is None:
        return "stays on"
    if circuit.role == "grid only":
        return words.not_backed_up
    if not reached:
        return "not on the inverter's phase"
    if circuit.role == "shed":
        return "dropped at once" if circuit.shed_below >= 1.0 else f"shed below {circuit.shed_below:.0%}"
    return "stays on"
