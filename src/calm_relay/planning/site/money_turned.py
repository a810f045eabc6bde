"""Every amount of money in a job turned into another currency, beside its tariff of today."""

from collections.abc import Callable, Iterator
from typing import Any

from calm_relay.job.base import PRICE_MOST
from calm_relay.job.equipment import KINDS
from calm_relay.job.existing_supply import Generator
from calm_relay.job.model import Job
from calm_relay.job.tariff import Incentive, Tariff, three_figures

# Lists of the job of what stands there, whose moving or taking away has a price of its own.
WORKS = (
    "existing_inverters", "existing_batteries", "generators", "existing_changeovers", "existing_transformers",
)  # fmt: skip
USUAL_KW = 5.0

Turn = Callable[[float], float]


def usual_generator(job: Job, name: str = "Generator") -> Generator:
    """A generator as one begins to state it, its fuel at the example price in the job's money."""
    example = Generator(kw=USUAL_KW)
    price = three_figures(example.price_per_litre * job.costs.shipped_prices)
    return example.with_(name=name, price_per_litre=min(price, PRICE_MOST))


def amounts_in(job: Job) -> tuple[str, ...]:
    """What a job states amounts of money for, beside its tariff."""
    return ("price list", "example prices", *(words for words, fields in _stated(job) if any(fields)))


def turned(job: Job, units: float) -> Job:
    """A job in a currency of which so many units stand for one of its own; today's tariff is not touched."""

    def turn(amount: float) -> float:
        return three_figures(amount * units)

    finance, burnt = job.finance, job.demand
    switch = finance.switch and finance.switch.with_(tariff=_tariff(finance.switch.tariff, turn))
    most, costs = job.must_haves.outlay_at_most, job.costs.in_money(units)
    return job.with_(
        **{
            name: tuple(_each(item, turn, "works_cost", "price_per_litre") for item in getattr(job, name))
            for name in WORKS
        },
        costs=costs.with_(incentives=tuple(_incentive(item, turn) for item in job.costs.incentives)),
        must_haves=job.must_haves.with_(outlay_at_most=None if most is None else turn(most)),
        finance=_each(finance, turn, "maintenance", "insurance").with_(
            loan=_each(finance.loan, turn, "fee"), lease=_each(finance.lease, turn, "per_month"), switch=switch
        ),
        demand=burnt.with_(
            **{
                name: tuple(_burner(load, turn) for load in getattr(burnt, name))
                for name in ("heat_pumps", "cars")
            }
        ),
        own_equipment=job.own_equipment.with_(
            **{
                kind: tuple(_each(item, turn, "price", "stack_price") for item in getattr(job.own_equipment, kind))
                for kind in KINDS
            }
        ),
    )


def _stated(job: Job) -> Iterator[tuple[str, list[Any]]]:
    finance = job.finance
    yield "fuel", [item.price_per_litre for item in job.generators]
    yield "what is burnt today", list(job.demand.replacing)
    yield "works on what is there", [item.works_cost for name in WORKS for item in getattr(job, name)]
    yield "most outlay", [job.must_haves.outlay_at_most]
    yield "incentives", list(job.costs.incentives)
    yield "finance and upkeep", [
        finance.loan.fee, finance.lease.per_month, finance.maintenance, finance.insurance, finance.switch,
    ]  # fmt: skip
    yield "equipment of this job", [item.price for kind in KINDS for item in getattr(job.own_equipment, kind)]


def _each(item: Any, turn: Turn, *names: str) -> Any:
    held = {name: getattr(item, name, None) for name in names}
    return item.with_(**{name: turn(amount) for name, amount in held.items() if amount})


def _burner(load: Any, turn: Turn) -> Any:
    today = load.instead_of
    return (
        load if today is None else load.with_(instead_of=_each(today, turn, "price", "ends_a_year", "costs_more"))
    )


def _incentive(item: Incentive, turn: Turn) -> Incentive:
    # Per cent are of a price: what bounds them is money, and they are not.
    return _each(item, turn, "cap", "full_up_to" if item.per == "%" else "amount")


def _tariff(tariff: Tariff, turn: Turn) -> Tariff:
    """Prices of a tariff; one may be below nothing."""
    charge, hourly = tariff.demand_charge, tariff.hourly
    return _each(tariff, turn, "price", "feed_in", "standing_per_day", "minimum_per_month").with_(
        windows=tuple(_each(item, turn, "price") for item in tariff.windows),
        feed_in_windows=tuple(_each(item, turn, "price") for item in tariff.feed_in_windows),
        tiers=tuple(_each(item, turn, "surcharge") for item in tariff.tiers),
        hourly=hourly and hourly.with_(prices=tuple(turn(price) for price in hourly.prices)),
        demand_charge=charge and _each(charge, turn, "price_per_kw"),
    )
