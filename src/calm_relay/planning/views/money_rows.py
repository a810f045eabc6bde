"""A cash flow as it is shown: the table of years, what it comes to, and what a workbook needs to follow it."""

from collections.abc import Mapping

import numpy as np

from calm_relay.planning.common.amounts import money_text
from calm_relay.planning.operation.finance import ENERGY, EXPORT, FUEL, LABELS, OUTAGES, STANDING
from calm_relay.planning.studies.cash_flow import CashFlow
from calm_relay.planning.studies.whole_change import NAMES, WholeChange

# Kinds of cost lines that do not grow with a second unit or more packs.
ONCE = ("once",)
RISES = {ENERGY: "energy rise", STANDING: "standing rise", EXPORT: "export rise", FUEL: "rise", OUTAGES: "rise"}


def year_rows(flow: CashFlow) -> tuple[list[str], list[list[str]]]:
    """Heads and rows: a row a kind, a column a year, then net and running sum."""
    kinds = {LABELS[key]: row for key, row in flow.rows.items()}
    return _years(kinds, flow.net, flow.option.context.job.tariff.currency)


def whole_rows(whole: WholeChange) -> tuple[list[str], list[list[str]]]:
    """The same of the whole change."""
    return _years(whole.labelled, whole.net, whole.job.tariff.currency)


def _years(kinds: Mapping[str, np.ndarray], net: np.ndarray, currency: str) -> tuple[list[str], list[list[str]]]:
    heads = [f"{currency}, end of year", *("today" if year == 0 else str(year) for year in range(net.size))]
    every = {**kinds, "Net": net, "Running sum": np.cumsum(net)}
    return heads, [[words, *(_amount(value) for value in series)] for words, series in every.items()]


def whole_summary_of(whole: WholeChange) -> list[tuple[str, str]]:
    """What the whole change comes to: (name, figure)."""
    job, costs = whole.job, whole.job.costs
    found = [(each.sentence, f"{money_text(job, each.cost)} a year") for each in whole.burnt]
    over = f"over {costs.horizon_years} years at {costs.discount_rate:.1%}"
    alone = f"{' and '.join(each.load for each in whole.burnt)} alone, {over}"
    return [
        *found,
        ("Electricity for it, first year, house as it stands", money_text(job, whole.more_power)),
        (alone, money_text(job, whole.loads_npv)),
        (f"This plan beside it, {over}", money_text(job, whole.npv - whole.loads_npv)),
        (f"All together, {over}", money_text(job, whole.npv)),
    ]


def _amount(value: float) -> str:
    return f"{value:,.0f}".replace("-", "\u2212") if abs(value) >= 0.5 else "·"


def summary_of(flow: CashFlow) -> list[tuple[str, str]]:
    """What it comes to: (name, figure)."""
    job = flow.option.context.job
    rate = job.costs.discount_rate

    def years(value: float | None) -> str:
        if flow.net[0] >= 0.0 and value is not None and value < 0.05:
            return "nothing to pay back"
        return f"not within {flow.years} years" if value is None else f"{value:.1f} years"

    rate_text = "none" if flow.irr is None else f"{flow.irr:.1%} a year".replace("-", "\u2212")
    found = [
        (f"Net present value, {flow.years} years at {rate:.1%}", money_text(job, flow.npv)),
        ("Rate of return", rate_text),
        ("Pays back in", years(flow.payback)),
        (f"Pays back, discounted at {rate:.1%}", years(flow.discounted_payback)),
    ]
    if flow.storage_cost is not None:
        words = f"{job.tariff.currency} {flow.storage_cost:.2f}"
        found.append(("A kWh through the battery, with its unit", words))
    if flow.backup_cost is not None:
        found.append(("A kW of backup, of battery and unit", money_text(job, flow.backup_cost)))
    once = sum(line.amount for line in flow.option.outcome.money.lines if line.kind in ONCE)
    if once > 0.0:
        found.append(("Of the outlay, once whatever the size", money_text(job, once)))
    if flow.outage_worth is not None:
        hours = job.finance.outage_hours
        words = f"An hour without grid, {hours:g} h a year, must be worth"
        found.append((words, money_text(job, flow.outage_worth)))
    found += [
        (f"The same installed in {item.after} years, worth today", money_text(job, item.npv))
        for item in flow.later
    ]
    return found


def beware_of(flow: CashFlow) -> tuple[str, ...]:
    """What of the finance cannot well be meant, in sentences."""
    job, found = flow.option.context.job, []
    finance, years = job.finance, flow.years
    if finance.way == "loan" and finance.loan.years > years:
        found.append(
            f"The loan runs {finance.loan.years} years and money is counted over {years}: what is paid after them is "
            "not counted. Count over more years, or shorten the loan."
        )
    if finance.way == "lease" and finance.lease.years > years:
        found.append(
            f"Rent is paid for {finance.lease.years} years and money is counted over {years}: count over more years."
        )
    if finance.way == "lease" and finance.lease.per_month == 0.0:
        found.append("No rent is stated: it would cost nothing.")
    lines = flow.option.outcome.money.lines
    paid = -sum(line.amount for line in lines if line.kind == "rebate")
    paid += float(flow.rows["incentives"].sum()) if "incentives" in flow.rows else 0.0
    cost = sum(line.amount for line in lines if line.kind != "rebate")
    if paid > cost > 0.0:
        found.append(
            f"Incentives come to {money_text(job, paid)} and all costs to {money_text(job, cost)}: more than it costs. "
            "Look at their amounts, units and caps."
        )
    on_grid = job.supply.on_grid
    switch = finance.switch if on_grid else None
    if switch is not None and switch.after >= years:
        found.append(f"The other tariff comes after the {years} years that are counted.")
    if switch is not None and switch.tariff.currency != job.tariff.currency:
        found.append(f"The other tariff is in {switch.tariff.currency}, the job in {job.tariff.currency}.")
    if on_grid and finance.feed_in_years is not None and finance.feed_in_years >= years:
        found.append(f"The export contract ends after the {years} years that are counted.")
    return tuple(found)


def workbook_of(flow: CashFlow, whole: WholeChange | None = None) -> bytes:
    """The cash flow as an XLSX workbook with live formulas."""
    from calm_relay.exchange.money_book import money_workbook

    job = flow.option.context.job
    finance, usual = job.finance, job.costs.price_rise

    def rise(value: float | None) -> float:
        return usual if value is None else value

    assumptions: list[tuple[str, str, float | str]] = [
        ("discount", "Discount rate a year", job.costs.discount_rate),
        ("rise", "Prices rise a year", usual),
    ]
    if job.supply.on_grid:
        assumptions += [
            ("energy rise", "Energy price rises a year", rise(finance.energy_rise)),
            ("standing rise", "Standing charge rises a year", rise(finance.standing_rise)),
            ("export rise", "Export price rises a year", rise(finance.export_rise)),
        ]
    if finance.feed_in_years is not None and job.supply.on_grid:
        assumptions.append(("contract", "Export contract ends after, years", float(finance.feed_in_years)))
        assumptions.append(("after", "Share of the export price paid then", finance.feed_in_after))
    saved = {
        LABELS[kind]: ([float(value) for value in series], RISES[kind])
        for kind, series in flow.saved.items()
        if kind in flow.rows
    }
    flows = {LABELS[key]: list(series) for key, series in flow.rows.items() if key not in flow.saved}
    notes = [
        "What is saved in today's prices is simulated for each year with the array and the battery as old as they are "
        "then, against the house as it stands today.",
        f"Weather: {'assumed climate' if job.site.weather.kind != 'file' else 'weather file'}. Figures rest on it.",
        "Incentives, loan, upkeep and replacements are as the job states them.",
    ]
    beside = {NAMES[key]: list(row) for key, row in whole.rows.items()} if whole is not None else None
    return money_workbook(flow.option.title, job.tariff.currency, assumptions, saved, flows, notes, beside)
