"""What more or less of the same battery would bring, and what each rule of thumb would choose."""

from dataclasses import dataclass, replace

import numpy as np

from calm_relay.job.base import minutes_of
from calm_relay.physics.plant.islanded import HOLD_ABOVE
from calm_relay.planning.architecture.bus_rating import arrays_on_bus
from calm_relay.planning.architecture.design import Design
from calm_relay.planning.architecture.refusals import battery_refusals
from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.equipment.bank import Bank, charge_dc_kw
from calm_relay.planning.operation.simulate import simulate
from calm_relay.planning.plan import Plan
from calm_relay.planning.studies.size_worth import worth_of, worth_words
from calm_relay.planning.verdict.option import Option, RefusedOption

OUTAGE_H = 8.0
NEARLY = 0.02


@dataclass(frozen=True)
class Flag:
    """What a rule of thumb would choose [kWh usable], the rule in a few words, and where its figures come from."""

    name: str
    usable_kwh: float
    sentence: str
    source: str


@dataclass(frozen=True, eq=False)
class BatterySweep:
    """What a year brings over the number of packs; `chosen` indexes the job's count, None when left out.

    `words` says what `worth` counts: money saved, or where no power is paid for the kWh served.
    """

    counts: np.ndarray
    usable_kwh: np.ndarray
    worth: np.ndarray
    chosen: int | None
    flags: tuple[Flag, ...]
    words: str


@dataclass(frozen=True)
class Fullness:
    """How the chosen battery spends its year: days it was full or empty once, and full cycles."""

    full_days: int
    empty_days: int
    cycles: float


def sweep_battery(plan: Plan, option: Option | RefusedOption, progress: Progress = unheard) -> BatterySweep | None:
    """What every number of packs brings that can be built on the option's unit; None without a new battery."""
    if isinstance(option, RefusedOption):
        return None
    converter = option.design.battery_converter
    if converter is None or not converter.is_new or not converter.battery_is_new:
        return None
    pack = converter.bank.pack
    counts, rows = [], []
    for count in range(pack.count_min, pack.count_max + 1):
        progress((count - pack.count_min) / (pack.count_max - pack.count_min + 1), "Trying battery sizes")
        bank = replace(converter.bank, count=count)
        if battery_refusals(bank, converter.inverter, plan.job):
            continue
        year = simulate(with_bank(option.design, bank), plan.job, plan.site, plan.demand)
        counts.append(count)
        rows.append((bank.usable_kwh, worth_of(year, plan, option)))
    if not counts:
        return None
    chosen = counts.index(converter.bank.count) if converter.bank.count in counts else None
    usable_kwh, worth = np.array(rows).T
    return BatterySweep(np.array(counts), usable_kwh, worth, chosen, flags_of(plan, option), worth_words(plan.job))


def with_bank(design: Design, bank: Bank) -> Design:
    """The design with another bank on its battery's unit."""
    converters = tuple(
        replace(converter, held=bank) if converter is design.battery_converter else converter
        for converter in design.converters
    )
    return replace(design, converters=converters)


def flags_of(plan: Plan, option: Option) -> tuple[Flag, ...]:
    """The schools' rules of thumb, each in usable kWh (common practice, no source)."""
    converter = option.design.leader
    battery, site, demand = plan.job.battery, plan.site, plan.demand
    year = option.outcome.year
    above = max(1.0 - battery.reserve, 0.05)
    winter = demand.worst_season_steps
    days = winter.sum() * year.step_h / 24
    night = float(demand.kw[winter & site.night].sum() * year.step_h / days)
    a_day = float(demand.yearly_kwh / 365)
    made = year.of("pv_dc")[winter].sum() * year.step_h / days
    daylight_use = float(np.minimum(demand.kw, year.of("pv_dc"))[winter].sum() * year.step_h / days)
    surplus = max(float(made) - daylight_use, 0.0)
    season = demand.worst_season
    flags = [
        Flag(
            "night",
            night / above,
            f"from sunset to sunrise {season} asks {night:.1f} kWh",
            f"mean night hours of {season}, {demand.source}",
        ),
        Flag(
            "70% of a day",
            0.7 * a_day / above,
            f"the middle of 60 to 80% of {a_day:.1f} kWh",
            f"yearly mean day, {demand.source}",
        ),
        Flag(
            f"{OUTAGE_H:g} h outage",
            OUTAGE_H * demand.worst_season_mean_kw,
            f"the mean {season} load of {demand.worst_season_mean_kw:.1f} kW, from full",
            f"mean of {season}, {demand.source}",
        ),
    ]
    if option.design.pv_converters:
        flags.append(
            Flag(
                f"{season} sun",
                surplus / above,
                f"a mean {season} day leaves {surplus:.1f} kWh over",
                f"simulated {season}, {site.source}",
            )
        )
    if battery.first_window is not None:
        minutes = (minutes_of(battery.first_window.end) - minutes_of(battery.first_window.start)) % 1440
        rate_kw, _ = charge_dc_kw(converter.bank, converter.inverter, battery.first_window.limit_kw)
        brought = rate_kw * converter.bank.pack.round_trip**0.5 * minutes / 60
        span = max(battery.first_window.target - battery.reserve, 0.05)
        flags.append(
            Flag(
                "cheap window",
                brought / span,
                f"the window brings {brought:.1f} kWh",
                "charge rate of battery and inverter, datasheets",
            )
        )
    flags.append(
        Flag(
            "one size up",
            converter.bank.usable_kwh
            + converter.bank.pack.usable_kwh * converter.bank.units * converter.bank.stacks,
            "shallower cycles, slower ageing, room to grow",
            "the job's count plus one",
        )
    )
    return tuple(flags)


def fullness_of(option: Option | RefusedOption) -> Fullness | None:
    """How often the battery was full and empty; None without one."""
    if isinstance(option, RefusedOption):
        return None
    converter = option.design.battery_converter
    if converter is None:
        return None
    year = option.outcome.year
    number = option.design.converters.index(converter)
    full, empty = full_and_empty(option, number)
    cycles = year.kwh("discharge", number) / year.plant[number].bank.usable_kwh
    return Fullness(int(full.sum()), int(empty.sum()), cycles)


def full_and_empty(option: Option, number: int) -> tuple[np.ndarray, np.ndarray]:
    """Days on which the battery of a converter was full once, and at its reserve once, shape (365,) each.

    One that forms the grid for arrays on its bus is full where it holds them back: it is never charged above that.
    """
    year = option.outcome.year
    part = year.plant[number].bank
    level = (year.of("stored", number) / part.usable_kwh).reshape(365, -1)
    supply = option.context.job.supply
    held_back = not supply.on_grid and bool(arrays_on_bus(option.design, supply))
    full_from = HOLD_ABOVE if held_back else 1.0 - NEARLY
    return level.max(axis=1) >= full_from, level.min(axis=1) <= part.reserve + NEARLY
