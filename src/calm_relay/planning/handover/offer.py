"""What the offer says to the customer, in plain words and figures, drawn from the plan and from nothing else."""

from calendar import month_name
from dataclasses import dataclass
from datetime import date
from re import sub

import numpy as np

from calm_relay.job.rooms import IN_ROOM, Room
from calm_relay.planning.common.joined import joined
from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.operation.backed_up_loads import behind_relay
from calm_relay.planning.operation.fuel import fuel_cost_by_step
from calm_relay.planning.operation.simulate import bill_months
from calm_relay.planning.plan import Plan
from calm_relay.planning.site.seasons import TROPIC
from calm_relay.planning.studies.cash_flow import CashFlow, cash_flow_of
from calm_relay.planning.studies.whole_change import WholeChange, whole_change_of
from calm_relay.planning.verdict.option import Option
from calm_relay.planning.views.backup_stack import StackRow, stack_of
from calm_relay.planning.views.moment import Day, day_of

ASKED = {
    "lower_bills": "lower bills",
    "self_sufficiency": "to use as much of your own energy as you can",
    "ride_through_outage": "to have power when the grid is down",
    "low_outlay": "to spend little at once",
    "gentle_works": "as little work on the house as can be",
}
# Between the tropics rain says which months are dim, and there is no winter.
MIDDLING = "A middling day of"
DAYS, BY_LIGHT = ("midwinter", "high summer"), ("the dimmest month", "the brightest month")
# Months of the north.
MIDWINTER, HIGH_SUMMER = {12, 1}, {6, 7, 8}
# What sums of the same packs may differ by.
ROUNDING_KWH = 1e-6
ASKED_OFF_GRID = ASKED | {
    "lower_bills": "to pay little over the years",
    "ride_through_outage": "to have power all year",
}


@dataclass(frozen=True, eq=False)
class ServedDay:
    """A day by steps [kW]: what the home draws, and what serves it.

    `other` is the grid or the generator, `other_words` names it and is empty where there is neither.
    """

    home: np.ndarray
    array: np.ndarray
    battery: np.ndarray
    other: np.ndarray
    other_words: str


@dataclass(frozen=True, eq=False)
class OfferDay:
    """A day of the simulated year: what it is called, its date, and who served the home."""

    title: str
    day: Day
    served: dict[str, float]
    alone: bool = False

    @property
    def series(self) -> ServedDay:
        """The day as it is drawn."""
        served = self.day.served
        other = next(name for name in served if name not in ("from the battery", "not served"))
        words = "from the grid" if other == "imported" else "" if self.alone else other
        return ServedDay(
            self.day.home, self.day.made["used at home"], served["from the battery"], served[other], words
        )


@dataclass(frozen=True)
class Scope:
    """What an offer brings and what of it is there already: modules [kWp], batteries between full and empty [kWh].

    `room` is where a battery that comes stands; None where none comes, or nobody stated it.
    """

    new_kwp: float
    kept_kwp: float
    new_kwh: float
    kept_kwh: float
    room: Room | None = None

    @property
    def standing(self) -> str:
        """Where the battery that comes stands, as a sentence; empty where nobody stated it."""
        if self.room is None:
            return ""
        return f"The {'new ' if self.kept_kwh else ''}battery stands {IN_ROOM[self.room]}."

    @property
    def brought(self) -> str:
        """What is new, in words; empty where neither modules nor packs are."""
        parts = [f"{self.new_kwp:.1f} kWp of modules"] if self.new_kwp else []
        if self.new_kwh:
            more = f"{self.new_kwh:.1f} kWh more of battery"
            parts.append(more if self.kept_kwh else f"a battery that holds {self.new_kwh:.1f} kWh")
        return joined(parts)

    @property
    def serving(self) -> str:
        """What the house is served from beside the grid, in words; empty where there is nothing."""
        arrays, batteries = self.new_kwp + self.kept_kwp > 0.0, self.new_kwh + self.kept_kwh > 0.0
        return joined([name for name, there in (("array", arrays), ("battery", batteries)) if there])

    @property
    def kept(self) -> str:
        """What the house has and keeps, in words; empty where that is neither modules nor packs."""
        parts = [f"{self.kept_kwp:.1f} kWp of modules"] if self.kept_kwp else []
        parts += [f"a battery that holds {self.kept_kwh:.1f} kWh"] if self.kept_kwh else []
        return joined(parts)


def scope_of(option: Option) -> Scope:
    """What an option brings to the house, and what it keeps there."""
    units = option.design.converters
    runs = [run for unit in units if unit.laid for run in unit.laid.runs]
    new_kwp = sum((run.kw for run in runs if run.face.plan.fate == "new"), 0.0)
    kept_kwp = sum((run.kw for run in runs if run.face.plan.fate != "new"), 0.0)
    bought = [unit.bought_packs for unit in units]
    new_kwh = sum((bank.usable_kwh for bank in bought if bank is not None), 0.0)
    kept_kwh = sum((unit.bank.usable_kwh for unit in units if unit.has_battery), 0.0) - new_kwh
    room = option.context.job.battery_place.stands_in if new_kwh else None
    return Scope(new_kwp, kept_kwp, new_kwh, kept_kwh if kept_kwh > ROUNDING_KWH else 0.0, room)


@dataclass(frozen=True, eq=False)
class ServedMonths:
    """What a house off grid asks, month by month, shape (12,) each [kWh]: by whom it is served, and what is not."""

    own: np.ndarray
    generator: np.ndarray
    unmet: np.ndarray

    @property
    def sentence(self) -> str:
        """The same of the year."""
        asked = max(float((self.own + self.generator + self.unmet).sum()), 1e-9)
        said = f"Array and battery serve {self.own.sum() / asked:.1%} of what is asked in a year"
        if self.generator.sum() > 0.5:
            said += f", the generator {self.generator.sum() / asked:.1%}"
        missing = float(self.unmet.sum())
        if missing < 0.5:
            return f"{said}; nothing goes unserved."
        worst = month_name[int(self.unmet.argmax()) + 1]
        return f"{said}; {missing:,.0f} kWh go unserved, most of it in {worst}."


@dataclass(frozen=True, eq=False)
class Offer:
    """Everything the offer shows.

    `beside` is the option that fits next best, `against` what speaks against it and not against what is offered.
    `bills` are twelve months without and with the option, `served` what the house is served where there is no grid,
    else None; `to_come` names what both count and is not there yet,
    `flow` the money of the years, in the job's currency, `whole` what changes with a heat pump or a car in place of
    fuel, `saves` whether a bill or fuel is paid today on which it can save; `hours` is how long
    what stays on runs from what usually lies in the battery in a night of the worst season, `lasting` the share of
    outages of the hours wanted that it rides through.
    """

    option: Option
    scope: Scope
    beside: Option | None
    against: tuple[str, ...]
    asked: tuple[str, ...]
    winter: OfferDay
    summer: OfferDay
    bills: tuple[np.ndarray, np.ndarray]
    served: ServedMonths | None
    to_come: tuple[str, ...]
    flow: CashFlow
    whole: WholeChange | None
    saves: bool
    stays_on: tuple[StackRow, ...]
    goes_off: tuple[StackRow, ...]
    hours: float
    lasting: float

    @property
    def days(self) -> tuple[OfferDay, OfferDay]:
        """The day of little light and that of much."""
        return self.winter, self.summer

    @property
    def days_words(self) -> str:
        """What the two days are, as a head."""
        if all(day.title.startswith(f"{MIDDLING} {name}") for day, name in zip(self.days, DAYS, strict=True)):
            return "What a winter day and a summer day look like"
        return "What a dim day and a bright day look like"

    @property
    def before_words(self) -> str:
        """What the first of the bills is: of a home that is to change it is not today's."""
        return "without it" if self.to_come else "today"


def offer_of(plan: Plan, option: Option, progress: Progress = unheard) -> Offer:
    """What is offered: one option of a plan, and the one that fits next best beside it.

    Parameters
    ----------
    plan : Plan
        The plan.
    option : Option
        What is offered.
    progress : Progress
        Told before each year that is counted.
    """
    job = plan.job
    scores = plan.choice.scores
    others = sorted(
        (other for other in plan.live if other.key != option.key and not other.stopped and other.role != "today"),
        key=lambda other: -scores[other.key].total,
    )
    words, saves = (
        ASKED if job.supply.on_grid else ASKED_OFF_GRID,
        job.pays_for_power,
    )
    asked = [
        words[purpose.kind]
        for purpose in sorted(job.purposes, key=lambda item: -item.weight)
        if purpose.weight > 0
    ]
    stack = stack_of(plan, option)
    flow = cash_flow_of(plan, option, progress)
    assert flow is not None, "it can be built"
    return Offer(
        option,
        scope_of(option),
        others[0] if others else None,
        _against(plan, option, others[0]) if others else (),
        tuple(asked),
        _day(plan, option, worst=True),
        _day(plan, option, worst=False),
        (_bills(plan, plan.as_is), _bills(plan, option)),
        None if job.supply.on_grid else _served(plan, option),
        job.demand.to_come,
        flow,
        whole_change_of(plan, flow),
        saves,
        tuple(row for row in stack.rows if row.on),
        tuple(row for row in stack.rows if not row.on),
        hours_of(plan, option),
        option.outcome.backup.lasting,
    )


def _against(plan: Plan, option: Option, other: Option) -> tuple[str, ...]:
    """What speaks against another option, but not against the one that is offered, whatever the figures."""
    ours, theirs = (
        [reason.sentence for reason in plan.choice.reasons[key] if not reason.speaks_for]
        for key in (option.key, other.key)
    )
    kinds = {_kind(sentence) for sentence in ours}
    said = (_without_price(sentence) for sentence in theirs if _kind(sentence) not in kinds)
    return tuple(sentence for sentence in said if sentence)[:3]


def _without_price(sentence: str) -> str:
    """A reason that does not say again what the option costs; empty where that is all it says."""
    head, _, rest = sentence.partition("; ")
    if not head.startswith("Costs "):
        return sentence
    return f"It {rest.removeprefix('it ')}" if rest else ""


def _kind(sentence: str) -> str:
    return sub(r"\d[\d.,]*", "…", sentence)


def hours_of(plan: Plan, option: Option) -> float:
    """How long what stays on runs from what usually lies in the battery in a night of the worst season [h]."""
    backup = option.outcome.backup
    if backup.held_kwh <= 0.0:
        return 0.0
    stays = behind_relay(option.design, plan.job, plan.demand).when_full
    mean_kw = float(stays.kw.sum(axis=0)[plan.demand.worst_season_steps].mean()) if len(stays.names) else 0.0
    return backup.held_kwh / mean_kw if mean_kw > 0.0 else 0.0


def _bills(plan: Plan, option: Option) -> np.ndarray:
    """The bill of each month [currency]; off grid the fuel of each."""
    if plan.job.supply.on_grid:
        kinds = bill_months(option.outcome.year, plan.job.tariff, plan.site)
        return np.asarray(sum(kinds.values()), dtype=float)
    burnt = fuel_cost_by_step(option.outcome.year, plan.job)
    return np.bincount(plan.site.calendar.month - 1, weights=burnt, minlength=12)


def _served(plan: Plan, option: Option) -> ServedMonths:
    """What a house off grid is served in each month; what a generator gives through the battery is its own."""
    year = option.outcome.island_year

    def by_month(kw: np.ndarray) -> np.ndarray:
        return np.bincount(plan.site.calendar.month - 1, weights=kw, minlength=12) * year.step_h

    home, generator = by_month(year.at_bus("home")), by_month(year.at_bus("import"))
    generator = np.minimum(generator, home)
    return ServedMonths(home - generator, generator, by_month(year.unmet))


def _day(plan: Plan, option: Option, *, worst: bool) -> OfferDay:
    """The middling day of the month in which the array gives least, or most."""
    site, year = plan.site, option.outcome.year
    calendar = site.calendar
    light = site.weather.ghi
    by_month = np.bincount(calendar.month - 1, weights=light, minlength=12)
    month = int(by_month.argmin() if worst else by_month.argmax()) + 1
    dates = calendar.wall.astype("datetime64[D]")
    here = np.flatnonzero(calendar.month == month)
    days, starts = np.unique(dates[here], return_index=True)
    sums = np.array([light[here][start : start + round(24.0 / year.step_h)].sum() for start in starts])
    order = np.argsort(sums)
    middle = int(order[len(order) // 2])
    step = int(here[starts[middle]])
    day = day_of(plan, option, step)
    hours = year.step_h
    served = {name: float(series.sum() * hours) for name, series in (day.made | day.served).items()}
    name = f"{MIDDLING} {_season(month, plan.job.site.latitude, worst=worst)}"
    on = date.fromisoformat(np.datetime_as_string(days[middle], unit="D"))
    return OfferDay(f"{name}, {on:%-d %B}", day, served, alone=not plan.job.pays_for_power)


def _season(month: int, latitude: float, *, worst: bool) -> str:
    """What a month is called: midwinter or high summer where it lies there, else by its light."""
    # Half a year later in the south.
    north = (month - 1 + (0 if latitude > 0.0 else 6)) % 12 + 1
    months = MIDWINTER if worst else HIGH_SUMMER
    named = abs(latitude) >= TROPIC and north in months
    return (DAYS if named else BY_LIGHT)[0 if worst else 1]
