"""A design's money over the job's years, from what it saves in each: outlay, loan, rises, upkeep, replacement."""

from collections.abc import Mapping
from functools import lru_cache

import numpy as np

from calm_relay.job.finance import Finance
from calm_relay.job.model import Job
from calm_relay.job.tariff import Tariff
from calm_relay.physics.money import yearly_payment
from calm_relay.physics.plant.readings import priced
from calm_relay.physics.plant.year import PlantBus
from calm_relay.planning.architecture.cost import later_incentives, unit_cost
from calm_relay.planning.architecture.design import Design
from calm_relay.planning.operation.fuel import fuel_cost
from calm_relay.planning.operation.simulate import bill_months
from calm_relay.planning.site.prices import feed_in_series, price_series
from calm_relay.planning.site.site_year import SiteYear

# Share of a battery's energy below which it is worn.
END = 0.7
# Nothing is known of a battery below this: it is taken to hold so much.
LEAST_LEFT = 0.3
# Kinds of a bill that rise as one.
ENERGY, STANDING, EXPORT, FUEL = "energy", "standing", "export", "fuel"
# Fuel of a generator that stands in for the grid by hand: paid each year, and no part of the bill.
OUTAGES = "outages"
KIND_OF = {
    "energy": ENERGY, "tiers": ENERGY, "demand": ENERGY, "tax": ENERGY, "minimum": ENERGY, "standing": STANDING,
    "export": EXPORT,
}  # fmt: skip
LABELS = {
    "outlay": "Outlay",
    "incentives": "Incentives paid later",
    "loan": "Loan",
    "rent": "Rent",
    ENERGY: "Energy saved",
    STANDING: "Standing charge saved",
    EXPORT: "Export",
    FUEL: "Fuel saved",
    OUTAGES: "Fuel saved in outages",
    "upkeep": "Maintenance and insurance",
    "battery": "Battery replaced",
    "inverter": "Inverters replaced",
    "residual": "Worth at the end",
}


# Marks kinds of the bill under the tariff that comes later.
THEN = " then"


def bill_kinds(run: PlantBus, job: Job, site: SiteYear) -> dict[str, float]:
    """A year's bill by what rises as one, in today's prices; off grid the fuel.

    Kinds under today's tariff add up to the bill, `bill_of_kinds`; where another tariff comes later, its kinds stand
    there as well, each with `THEN` behind its name.
    """
    if not job.supply.on_grid:
        return {FUEL: fuel_cost(run, job)}
    found, switch = _tariff_kinds(run, job.tariff, site), job.finance.switch
    if switch is not None:
        found |= {f"{kind}{THEN}": amount for kind, amount in _tariff_kinds(run, switch.tariff, site).items()}
    return found


def bill_of_kinds(kinds: Mapping[str, float]) -> float:
    """The bill under today's tariff."""
    return sum(amount for kind, amount in kinds.items() if not kind.endswith(THEN) and kind != OUTAGES)


def in_force(job: Job, by_year: Mapping[str, np.ndarray]) -> dict[str, np.ndarray]:
    """Amounts of each year by kind, shape (years,), each year's under the tariff that is in force then."""
    switch = job.finance.switch
    if switch is None or not job.supply.on_grid:
        return dict(by_year)
    return {
        kind: np.where(np.arange(amounts.size) >= switch.after, by_year.get(f"{kind}{THEN}", amounts), amounts)
        for kind, amounts in by_year.items()
        if not kind.endswith(THEN)
    }


def _tariff_kinds(run: PlantBus, tariff: Tariff, site: SiteYear) -> dict[str, float]:
    if tariff.by_kwh_alone:
        imported, prices = run.at_bus("import"), price_series(tariff, site.calendar)
        paid, earned = priced(imported, prices, run.at_bus("export"), feed_in_series(tariff, site.calendar))
        standing = tariff.standing_per_day * imported.size * run.step_h / 24.0
        return {ENERGY: paid * run.step_h, STANDING: standing, EXPORT: -earned * run.step_h}
    found = {ENERGY: 0.0, STANDING: 0.0, EXPORT: 0.0}
    for kind, months in bill_months(run, tariff, site).items():
        found[KIND_OF[kind]] += float(months.sum())
    return found


def replaced_after(design: Design, job: Job, left: np.ndarray) -> int | None:
    """After which year the new packs are replaced; None: not within the years.

    Parameters
    ----------
    design : Design
        What is built.
    job : Job
        The job.
    left : ndarray, shape (years,)
        Share of the battery's energy at the end of each year.
    """
    lead, years, finance = design.battery_converter, job.costs.horizon_years, job.finance
    if lead is None or lead.bought_packs is None:
        return None
    when = job.costs.replace_year
    if finance.battery_replaced == "after its warranty":
        when = int(lead.bank.pack.warranty_years)
    elif finance.battery_replaced == "when worn":
        below = np.flatnonzero(left <= END)
        when = int(below[0]) + 1 if below.size else None
    return when if when is not None and 0 < when < years else None


def money_rows(
    design: Design,
    job: Job,
    outlay: float,
    saved: Mapping[str, np.ndarray],
    left: np.ndarray,
    worn: int | None,
) -> dict[str, np.ndarray]:
    """Money in (above 0) and out by kind, keys of `LABELS`: today first, later years at their ends.

    Parameters
    ----------
    design : Design
        What is built.
    job : Job
        Its prices and its finance.
    outlay : float
        Paid today [currency].
    saved : mapping of str to ndarray, shape (years,)
        Saved in each year by kind of bill, in today's prices [currency].
    left : ndarray, shape (years,)
        Share of the battery's energy at the end of each year.
    worn : int or None
        After which year packs are replaced, `replaced_after`.

    Returns
    -------
    dict of str to ndarray, shape (years + 1,)
        Kinds of which there is nothing are left out; the outlay always stands there.
    """
    finance, years = job.finance, left.size
    if not design.new_converters:
        # What stays as it is costs and saves nothing.
        return {"outlay": np.zeros(years + 1)}
    rows = rises_of(job, saved)
    rows |= _paid(design, job, outlay, years)
    rows["upkeep"] = _from_first(
        -(finance.maintenance + finance.insurance) * (1.0 + finance.upkeep_rise) ** np.arange(years)
    )
    rows |= _replacements(design, job, years, worn)
    rows["residual"] = np.zeros(years + 1)
    rows["residual"][-1] = finance.residual * battery_price(design) * float(left[-1])
    found = {key: rows[key] for key in LABELS if key in rows and rows[key].any()}
    return found or {"outlay": np.zeros(years + 1)}


def rises_of(job: Job, saved: Mapping[str, np.ndarray]) -> dict[str, np.ndarray]:
    """Savings in each year's own prices; the export price falls to its share when its contract ends."""
    usual = job.costs.price_rise
    return {
        kind: _from_first(amounts * _prices(job.finance, usual, kind, amounts.size))
        for kind, amounts in saved.items()
    }


@lru_cache(maxsize=256)
def _prices(finance: Finance, usual: float, kind: str, years: int) -> np.ndarray:
    """What a kind's price is in each year over today's, shape (years,)."""
    rise = {ENERGY: finance.energy_rise, STANDING: finance.standing_rise, EXPORT: finance.export_rise}
    stated, at = rise.get(kind), np.arange(years)
    prices = (1.0 + (usual if stated is None else stated)) ** at
    if kind == EXPORT and finance.feed_in_years is not None:
        prices = np.where(at >= finance.feed_in_years, prices * finance.feed_in_after, prices)
    return prices


def battery_price(design: Design) -> float:
    """Price of the packs that are bought [currency]."""
    return sum(unit.bought_packs.price for unit in design.converters if unit.bought_packs is not None)


def _from_first(series: np.ndarray) -> np.ndarray:
    """Sums at the ends of years, nothing today."""
    row = np.zeros(series.size + 1)
    row[1:] = series
    return row


def _paid(design: Design, job: Job, outlay: float, years: int) -> dict[str, np.ndarray]:
    """Outlay, loan or rent, and incentives that come a year later."""
    finance: Finance = job.finance
    rows = {name: np.zeros(years + 1) for name in ("outlay", "incentives", "loan", "rent")}
    if finance.way == "lease":
        lease, at = finance.lease, np.arange(years)
        rent = np.where(at < lease.years, 12.0 * lease.per_month * (1.0 + lease.rise) ** at, 0.0)
        rows["rent"] = _from_first(-rent)
        return rows
    rows["outlay"][0] = -outlay
    rows["incentives"][1:] = later_incentives(design, job, years)
    if finance.way == "loan":
        loan = finance.loan
        lent = max(outlay, 0.0) * loan.share
        rows["loan"][0] = lent - loan.fee
        rows["loan"][1 : loan.years + 1] -= yearly_payment(lent, loan.rate, loan.years)
    return rows


def _replacements(design: Design, job: Job, years: int, worn: int | None) -> dict[str, np.ndarray]:
    """Packs and inverters bought again, with their work."""
    costs, finance = job.costs, job.finance
    rows = {"battery": np.zeros(years + 1), "inverter": np.zeros(years + 1)}
    if worn is not None:
        fall = (1.0 - finance.battery_price_fall) ** worn
        hours = sum(u.bought_packs.install_hours for u in design.converters if u.bought_packs is not None)
        rows["battery"][worn] = -(battery_price(design) * fall + hours * costs.labour_per_hour)
    if finance.inverter_years is not None:
        new = [unit for unit in design.converters if unit.is_new and unit.micro is None]
        price = sum(unit_cost(unit, costs) for unit in new)
        for year in range(finance.inverter_years, years, finance.inverter_years):
            rows["inverter"][year] = -price
    return rows
