"""The battery that a job begins with: packs that go with what the home uses, until somebody says which."""

from math import ceil

from calm_relay.job.demand import ShapedDemand
from calm_relay.job.equipment import Inverter, Pack, may_stand_at
from calm_relay.job.library import Library
from calm_relay.job.model import Job
from calm_relay.planning.equipment.bank import Bank, health_of, may_mix

# A first battery holds this share of a mean day, or nearly: common practice, no source.
NIGHT_SHARE, NEARLY = 0.5, 0.75
# Off grid it holds so many mean days, alone and where a generator runs: common practice, no source.
DAYS_ALONE, DAYS_WITH_GENERATOR = 2.0, 1.0


def asks_for_another(before: Job, after: Job) -> bool:
    """Whether an edit says what a first battery goes by: demand, phases, a grid or a generator, or an old battery."""
    said = "demand" in before.wanted and "demand" not in after.wanted
    said = said or before.existing_batteries != after.existing_batteries
    said = said or before.supply.phases != after.supply.phases
    said = said or before.site.elevation_m != after.site.elevation_m
    alone = [
        (job.supply.on_grid, not job.supply.on_grid and bool(job.running_generators)) for job in (before, after)
    ]
    return said or alone[0] != alone[1]


def with_first_battery(job: Job, library: Library) -> Job:
    """A job whose battery is assumed still, with one that goes with what the home uses.

    Packs that may stand beside a battery that stays come first: more of them is what is asked for there. Where
    somebody said which pack it is, its number alone is chosen.
    """
    if "battery.count" not in job.assumed or not isinstance(job.demand, ShapedDemand):
        return job
    wanted = held_at_first_kwh(job.demand.yearly_kwh, job)
    if "battery.pack" in job.assumed:
        bank = _beside_old(job, library, wanted) or first_bank(
            library, job.supply.phases, wanted, job.site.elevation_m
        )
        return job.with_(battery=job.battery.with_(pack=bank.pack.key, count=bank.count))
    said = next((item for item in library.on_shelf.packs if item.key == job.battery.pack), None)
    return job if said is None else job.with_(battery=job.battery.with_(count=_least(said, wanted)))


def _beside_old(job: Job, library: Library, held_kwh: float) -> Bank | None:
    """The packs that a battery which stays lacks of what is to be held, at least one; None where none may join it."""
    packs = {pack.key: pack for pack in library.equipment_for(job).packs}
    stays = [item for item in job.existing_batteries if not item.goes and item.pack in packs]
    banks = [(item, Bank(packs[item.pack], item.count)) for item in stays]
    lacks = held_kwh - sum(bank.usable_kwh * health_of(item, bank.usable_kwh) for item, bank in banks)
    shelf = library.on_shelf
    units = [item for item in shelf.inverters if item.battery is not None and not item.plug_in]
    for _, old in banks:
        # The same kind before one that its maker lets stand beside it; fresh lead beside old wears with it, and packs
        # of a plug-in battery leave nothing to be compared.
        whole = [pack for pack in shelf.packs if pack.expansion_of is None and not pack.is_lead]
        for pack in sorted(whole, key=lambda pack: pack.key != old.pack.key):
            room = pack.count_max - old.count
            bank = Bank(pack, min(_least(pack, lacks), room))
            fits = room >= pack.count_min and may_mix(old.pack, pack)
            if fits and any(_carries(unit, bank) for unit in units):
                return bank
    return None


def held_at_first_kwh(yearly_kwh: float, job: Job | None = None) -> float:
    """What a first battery holds of a home's yearly demand: a night of it, off grid a day or two [kWh]."""
    a_day = yearly_kwh / 365.0
    if job is None or job.supply.on_grid:
        return a_day * NIGHT_SHARE * NEARLY
    return a_day * (DAYS_WITH_GENERATOR if job.running_generators else DAYS_ALONE)


def first_bank(library: Library, phases: str, held_kwh: float, elevation_m: float = 0.0) -> Bank:
    """The cheapest bank that holds so much on units for a service.

    Those that a hybrid and an AC-coupled battery inverter carry come first: the more there is to choose from.

    Parameters
    ----------
    library : Library
        Equipment to draw on.
    phases : str
        Of the service, as a job has them.
    held_kwh : float
        What it is to hold [kWh].
    elevation_m : float
        Of the site: what may not stand so high comes last [m].
    """
    shelf = library.on_shelf
    units = [item for item in shelf.inverters if item.battery is not None and not item.plug_in]
    units = [item for item in units if may_stand_at(item, elevation_m)] or units
    own = [item for item in units if item.phases == phases] or units
    whole = [pack for pack in shelf.packs if pack.expansion_of is None]
    whole = [pack for pack in whole if may_stand_at(pack, elevation_m)] or whole
    packs = [pack for pack in whole if not pack.is_lead] or whole

    def worst(bank: Bank) -> tuple[int, float, bool, float, str, int]:
        kinds = {unit.pv is not None for unit in own if _carries(unit, bank)}
        lacks = max(held_kwh - bank.usable_kwh, 0.0)
        return -len(kinds), lacks, bank.pack.price <= 0.0, bank.price, bank.pack.key, bank.count

    banks = (Bank(pack, count) for pack in packs for count in range(_least(pack, held_kwh), pack.count_max + 1))
    return min(banks, key=worst)


def _least(pack: Pack, held_kwh: float) -> int:
    """The least number of packs that hold so much; the most there may be where none do."""
    return min(max(ceil(held_kwh / pack.usable_kwh), pack.count_min), pack.count_max)


def _carries(unit: Inverter, bank: Bank) -> bool:
    port = unit.port
    return bank.pack.family in port.families and port.low_v <= bank.empty_v <= bank.full_v <= port.high_v
