"""What each phase or leg of the service carries."""

import numpy as np

from calm_relay.job.backup_board import BackupBoard
from calm_relay.job.model import Job, Supply
from calm_relay.physics.kept import kept
from calm_relay.physics.plant.readings import phase_peaks
from calm_relay.physics.plant.year import PlantBus, PlantYear
from calm_relay.physics.three_wire import line_kva
from calm_relay.planning.architecture.design import Converter, Design
from calm_relay.planning.operation.backed_up_loads import behind_relay, whole_house
from calm_relay.planning.site.demand import DemandYear
from calm_relay.planning.site.home_phases import (
    Phases,
    controlled_by_phase,
    demand_by_phase,
    loads_on_phases,
    spread_of,
)


def units_by_phase(design: Design, job: Job) -> np.ndarray:
    """Share of each unit's AC power on each phase or leg, shape (units, phases)."""
    supply, count = job.supply, job.supply.circuit.live
    shares = np.full((len(design.converters), count), 1.0 / count)
    for number, phase in enumerate(design.phases(supply)):
        if phase:
            shares[number] = np.eye(3)[phase - 1]
    return shares


def import_by_phase(design: Design, job: Job, demand: DemandYear, year: PlantYear) -> np.ndarray:
    """What each phase or leg draws from the grid, shape (phases, steps) [kW]; 0 where it feeds.

    The house is spread as its circuits are, else evenly over two legs and by the job's shares over three phases; units
    give and draw on the phases they hang on. Without neutral it is what each line carries, as amps times volts [kVA].
    """
    if job.supply.phases == "single":
        return year.at_bus("import")[None, :]
    drawn_kw = _drawn_by_phase(design, job, demand, year)
    if not job.supply.circuit.has_neutral:
        drawn_kw = line_kva(drawn_kw)
    return np.maximum(drawn_kw, 0.0, out=drawn_kw)


def _drawn_by_phase(design: Design, job: Job, demand: DemandYear, year: PlantYear) -> np.ndarray:
    """What hangs on each phase, leg or pair of phases draws, below 0 where it gives, shape (phases, steps) [kW]."""
    load_kw = home_by_phase(job, demand, year)
    shares = units_by_phase(design, job)
    if not len(shares):
        return load_kw.copy()
    if (shares == shares[0]).all():
        return load_kw - shares[0][:, None] * _given(demand, year)
    ac_kw, standby_kw = year.ac_side.swapaxes(0, 1)
    return np.asarray(load_kw - shares.T @ (ac_kw - standby_kw))


def phase_peaks_kw(design: Design, job: Job, demand: DemandYear, year: PlantYear) -> np.ndarray:
    """The most that each phase or leg draws in a step of the year, and the most that it feeds; see `import_by_phase`.

    Returns
    -------
    ndarray, shape (2, phases)
        [kW]
    """
    if job.supply.phases == "single":
        return np.array([[year.highest_import_kw], [year.highest_export_kw]])
    if not job.supply.circuit.has_neutral:
        return _line_peaks(_drawn_by_phase(design, job, demand, year))
    house_kw = _house_by_phase(job.backup_board, job.supply, job.load_phases, demand)
    loads_on = loads_on_phases(job.supply, year.loads)
    units_on = units_by_phase(design, job)
    flows = year.at_bus("import"), year.at_bus("export")
    return phase_peaks(house_kw, year.loads.kw, loads_on, year.ac_side, units_on, *flows)


def _line_peaks(between_kw: np.ndarray) -> np.ndarray:
    """The most that each line draws in a step, and the most that it feeds, shape (2, 3) [kVA]."""
    kva = line_kva(between_kw)
    return np.maximum([kva.max(axis=1), -kva.min(axis=1)], 0.0)


def _given(demand: DemandYear, year: PlantBus) -> np.ndarray:
    """What all units together give to the bus less what they draw, by the bus alone, shape (steps,) [kW]."""
    return demand.kw + year.controlled_ac_kw - year.at_bus("import") + year.at_bus("export")


def highest_phase_kw(design: Design, job: Job, demand: DemandYear, year: PlantBus) -> tuple[float, float]:
    """The most that a phase or leg draws in the year, and the most that one feeds, read off the bus alone [kW].

    Where units on one phase stand beside units on all three the bus does not say who gives how much; then the sum of
    all phases is spread evenly, which is the least it can be.
    """
    count = job.supply.circuit.live
    if count == 1:
        return year.highest_import_kw, year.highest_export_kw
    shares = units_by_phase(design, job)
    if len(shares) and not (shares == shares[0]).all():
        factor = job.supply.circuit.factor
        return year.highest_import_kw / factor, year.highest_export_kw / factor
    load_kw = home_by_phase(job, demand, year)
    given = _given(demand, year)
    spread = shares[0] if len(shares) else np.full(count, 1.0 / count)
    drawn = [load - share * given for load, share in zip(load_kw, spread, strict=True)]
    if not job.supply.circuit.has_neutral:
        drawn_kva, fed_kva = _line_peaks(np.array(drawn))
        return float(drawn_kva.max()), float(fed_kva.max())
    return max(float(each.max()) for each in drawn), max(-float(each.min()) for each in drawn)


def home_alone_kw(design: Design, job: Job, demand: DemandYear) -> float:
    """The most that a phase or leg of the home draws in a step of the year, and all units on it while they idle [kW].

    Nothing is given, and nothing obeys.
    """
    idle_kw = sum(unit.inverter.standby_w for unit in design.converters) / 1000.0
    if job.supply.phases == "single":
        return float(demand.kw.max()) + idle_kw
    house_kw = _house_by_phase(job.backup_board, job.supply, job.load_phases, demand)
    if not job.supply.circuit.has_neutral:
        house_kw = line_kva(house_kw)
    return float(house_kw.max()) + idle_kw


def through_relay(design: Design, job: Job, demand: DemandYear) -> np.ndarray:
    """What the relay of the unit that forms the grid passes to the home on each of its legs, grid up [kW].

    Parameters
    ----------
    design : Design
        A design whose battery's unit forms a grid.
    job : Job
        Its board.
    demand : DemandYear
        The home's year.

    Returns
    -------
    ndarray, shape (legs, steps)
    """
    return behind_relay(design, job, demand).on_legs(design.leader.inverter.circuit.live)


def relay_passes_a(converter: Converter) -> float:
    """What the relay of a unit passes for hours [A]."""
    backup = converter.backup
    return backup.pass_through_a * backup.pass_through_continuous_fraction


@kept
def _house_by_phase(
    backup_board: BackupBoard | None, supply: Supply, phases: Phases, demand: DemandYear
) -> np.ndarray:
    if backup_board is None:
        return demand_by_phase(supply, phases, demand)
    count = supply.circuit.live
    house = whole_house(backup_board, supply, demand)
    load_kw = house.legs[:, :count].T @ house.kw
    on, held = dict(phases), {name for circuit in backup_board.circuits for name in circuit.loads}
    for part in demand.parts[1:]:
        if part.name in on and part.name not in held:
            load_kw[on[part.name] - 1] += part.kw
    # Circuits need not hold all of the house: the rest is spread as the house is.
    return np.asarray(load_kw + spread_of(supply)[:, None] * (demand.kw - load_kw.sum(axis=0)))


def home_by_phase(job: Job, demand: DemandYear, year: PlantBus) -> np.ndarray:
    """What the home takes on each phase or leg, with its controlled loads, shape (phases, steps) [kW]."""
    load_kw = _house_by_phase(job.backup_board, job.supply, job.load_phases, demand)
    return load_kw + controlled_by_phase(job.supply, year.loads) if year.loads.loads else load_kw
