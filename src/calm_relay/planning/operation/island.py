"""The island a design makes when there is no grid: who forms the grid, what it can do, who joins, who is fed."""

from typing import Any, TypeGuard

import numpy as np

from calm_relay.job.base import minutes_of
from calm_relay.job.circuit_kinds import CIRCUITS
from calm_relay.job.demand import ScheduledLoad
from calm_relay.job.equipment import Backup
from calm_relay.job.model import Job, Supply
from calm_relay.physics.kept import kept
from calm_relay.physics.plant.generators import GeneratorLimits, generators_of
from calm_relay.physics.plant.island import Island
from calm_relay.physics.plant.island_figures import Limits
from calm_relay.physics.plant.parts import UNLIMITED
from calm_relay.planning.architecture.bus_rating import arrays_on_bus
from calm_relay.planning.architecture.connections import joins_island
from calm_relay.planning.architecture.design import Converter, Design
from calm_relay.planning.architecture.refusals import joining_generators
from calm_relay.planning.operation.backed_up_loads import BackedUpLoads, behind_relay, whole_house
from calm_relay.planning.site.demand import DemandYear
from calm_relay.planning.site.engines import able_kw

# Inverters wait so long for a bus that stands before they join it: common practice, no source.
PV_WAITS_MIN = 5.0
# Contactors drop out in a gap longer than this, and machines start anew: common practice, no source.
CONTACTORS_HOLD_MS = 100.0
# In an off-grid house somebody resets a unit that is locked out within the hour: common practice, no source.
RESET_MIN = 60.0
# Real over apparent power of a motor that starts, the upper end of 0.3 to 0.5: common practice, no source. Where a unit
# states no locked-rotor current its surge is held against apparent power, which is what its current bounds.
START_POWER_FACTOR = 0.5
# Charge below the cut-off voltage that carries an unloaded inverter through another try: common practice, no source.
UNLOADED = 0.02


def forms_grid(converter: Converter | None) -> TypeGuard[Converter]:
    """Whether a unit stands in when the grid does not."""
    return converter is not None and converter.inverter.backup is not None


def wakes_by_arrays_beside(design: Design, supply: Supply) -> bool:
    """Whether what forms the grid comes back after a flat battery by arrays on its bus: by a reserve, or at a time."""
    former = design.battery_converter
    if not forms_grid(former):
        return False
    backup = former.backup
    return bool(arrays_on_bus(design, supply)) and (
        backup.throttles_ac_pv != "none" and (backup.held_reserve > 0 or backup.retries_at is not None)
    )


def forming_kw(design: Design) -> float:
    """What the units that form the grid give without end [kW]: their rating, or less where a battery gives less."""
    return sum(min(member.backup.continuous_kw, member.gives[0]) for member in design.together)


def leg_volts(phases: str, volts: float) -> float:
    """Voltage from a leg or phase to neutral [V]."""
    return volts / 2 if phases == "split" else volts


def start_volts(phases: str, volts: float, leg: str | None) -> float:
    """What a motor's line current is multiplied with for its apparent power [V].

    Its own voltage; for a motor across three phases three times that of one, since sqrt(3) V I is 3 V_phase I.
    """
    if leg in ("1", "2", "3"):
        return leg_volts(phases, volts)
    return CIRCUITS[phases].factor * volts


@kept
def island_of(design: Design, job: Job, demand: DemandYear) -> Island:
    """What the island of a design reads, for a night or, off grid, for the year."""
    converter = design.battery_converter
    if not forms_grid(converter):
        fed = whole_house(job.backup_board, job.supply, demand)
        return _island((), island_limits(None, job), fed, np.zeros(len(design.converters), bool), design, demand)
    joins = np.array([joins_island(design, job.supply, other) for other in design.converters], dtype=bool)
    return _island(
        design.forming, island_limits(design, job), behind_relay(design, job, demand), joins, design, demand
    )


def _island(
    forming: tuple[int, ...],
    limits: Limits,
    fed: BackedUpLoads,
    joins: np.ndarray,
    design: Design,
    demand: DemandYear,
) -> Island:
    how = design.leader.backup.throttles_ac_pv if forming else "none"
    switched = np.array(
        [how == "relay" or not converter.inverter.frequency_watt for converter in design.converters], dtype=bool
    )
    phases = [converter.inverter.phases for converter in design.converters]
    even = np.array([phase != "single" or limits.legs < 2.0 for phase in phases], dtype=bool)
    return Island(
        forming[0] if forming else None,
        limits,
        fed.kw,
        fed.legs,
        fed.shed_below,
        joins,
        switched,
        demand.kw,
        beside=forming[1:],
        even=even,
    )


def _cut_off(backup: Backup, job: Job) -> float:
    """Charge at which it stops serving: off grid the job's reserve, and what it holds back for starting."""
    held = backup.held_reserve if backup.retries_at is None else max(backup.held_reserve, UNLOADED)
    return held if job.supply.on_grid else max(held, job.battery.reserve)


def island_limits(design: Design | None, job: Job) -> Limits:
    """What the units that form the grid can do, and the generators beside them; None for generators alone."""
    limits: dict[str, Any] = {}
    former = None if design is None else design.grid_former
    if former is None or former.outage_output.generator_input:
        joining = job.running_generators if design is None else joining_generators(design, job)
        limits["generators"] = generators_of(
            *(
                GeneratorLimits()
                if item is None
                else GeneratorLimits(able_kw(item, job), item.start_below, item.stop_above)
                for item in joining
            )
        )
    if design is not None and former is not None:
        backup, power = former.outage_output, forming_kw(design)
        volts = leg_volts(former.phases, former.volts)
        start_a = backup.locked_rotor_a
        limits |= {
            "continuous_kw": power,
            "surge_kw": max(backup.surge_kw, power),
            "surge_s": backup.surge_s,
            "legs": float(CIRCUITS[former.phases].live),
            "leg_start_kw": UNLIMITED if start_a is None else start_a * volts / 1000.0,
            "start_power_factor": 1.0 if start_a is None else START_POWER_FACTOR,
            "cut_off": _cut_off(backup, job),
            "wakes": backup.held_reserve > 0.0 or backup.retries_at is not None,
            "wakes_from_min": 0.0 if backup.retries_at is None else float(minutes_of(backup.retries_at)),
            "black_start": backup.black_start,
            "restarts_at_once": backup.transfer_ms > CONTACTORS_HOLD_MS,
            "pv_waits_min": PV_WAITS_MIN,
            "locked_min": UNLIMITED if job.supply.on_grid else RESET_MIN,
        }
    return Limits(**limits)


# kVA per horsepower with the rotor locked, the upper end of each letter: NEC table 430.7(B) (from memory).
CODE_KVA_PER_HP = {
    "A": 3.15, "B": 3.55, "C": 4.0, "D": 4.5, "E": 5.0, "F": 5.6, "G": 6.3, "H": 7.1, "J": 8.0, "K": 9.0,
    "L": 10.0, "M": 11.2, "N": 12.5, "P": 14.0, "R": 16.0, "S": 18.0, "T": 20.0, "U": 22.4, "V": 25.0,
}  # fmt: skip
KW_PER_HP = 0.746
# Starting power over running power of a motor without a figure, and under a soft starter: practice, no source.
UNKNOWN_START, SOFT_START = 6.0, 2.0


def start_power_kw(load: ScheduledLoad, volts: float, soft: bool = False) -> float:
    """Power a machine draws for a moment when it starts [kVA], 0 for one without a motor.

    From its locked-rotor current times `start_volts`, else its code letter and rating, else six times its power;
    a soft starter takes it down to twice the running power.
    """
    if load.starting_a is None and load.code_letter is None and not load.motor:
        return 0.0
    if soft:
        return SOFT_START * load.kw
    if load.starting_a is not None:
        return load.starting_a * volts / 1000.0
    if load.code_letter is None:
        return UNKNOWN_START * load.kw
    return CODE_KVA_PER_HP[load.code_letter] * load.kw / KW_PER_HP


def start_source(load: ScheduledLoad, soft: bool) -> str:
    """Where a machine's starting power is from."""
    if soft:
        return "soft starter"
    if load.starting_a is not None:
        return f"{load.starting_a:g} A"
    return f"code letter {load.code_letter}" if load.code_letter else "assumed: six times its power"
