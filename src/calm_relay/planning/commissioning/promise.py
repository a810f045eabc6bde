"""Promise and fact: what was measured against the plan, run again with the light and the demand that there were."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from math import hypot
from pathlib import Path

import numpy as np

from calm_relay.exchange.errors import InputError
from calm_relay.job.logbook import CapacityTest, Handover, MeterCounters, MonthFacts, YearOfWeather
from calm_relay.job.model import WeatherFile
from calm_relay.physics.plant.inputs import Inputs, run_inputs
from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.operation.simulate import inputs_in, inputs_of
from calm_relay.planning.plan import Plan
from calm_relay.planning.site.site_year import SiteYear, number_in_file, site_year
from calm_relay.planning.studies.battery_ageing import battery_ageing_of
from calm_relay.planning.verdict.option import Option, RefusedOption

# How far a year and a month may be off by the plant's model, by light that was measured, and by light that was not:
# common practice, no source. Years differ from the long mean by 4 to 6 %, months by three times that.
MODEL_OFF, LIGHT_OFF, YEAR_OFF, MONTH_OFF = 0.05, 0.03, 0.06, 0.18
# Demand that was not measured.
DEMAND_OFF = 0.15
# A capacity test by the unit's own meters: common practice, no source.
TEST_OFF = 0.05
FLOWS = ("production_kwh", "import_kwh", "export_kwh", "throughput_kwh")
WORDS = dict(zip(FLOWS, ("Array production", "From the grid", "To the grid", "Out of the battery"), strict=True))
DIM = 0.96
SUMMER = {True: (6, 7, 8), False: (12, 1, 2)}


@dataclass(frozen=True)
class Held:
    """A flow over a period against what was promised [kWh].

    Attributes
    ----------
    fact : float or None
        What was measured.
    planned : float
        What the plan said for such months of an ordinary year.
    expected : float
        What it says in the light and with the demand that there were.
    off : float
        How far from it is still as promised.
    """

    flow: str
    fact: float | None
    planned: float
    expected: float
    off: float

    @property
    def is_short(self) -> bool:
        """Whether it is less than can be explained."""
        return self.fact is not None and self.fact < self.expected - self.off

    @property
    def is_over(self) -> bool:
        """Whether it is more than can be explained."""
        return self.fact is not None and self.fact > self.expected + self.off


@dataclass(frozen=True)
class YearHeld:
    """A year against its promise: flows, the light over an ordinary year's (None: not measured), months in it."""

    year: int
    months: tuple[int, ...]
    flows: tuple[Held, ...]
    light: float | None
    sentence: str
    short: bool

    def flow(self, name: str) -> Held:
        """A flow by its name."""
        return next(item for item in self.flows if item.flow == name)


@dataclass(frozen=True)
class BatteryHeld:
    """A battery against what ageing leaves of it: tests, what was expected at each, warranty used up, what to do.

    `tests` are (years after commissioning, measured kWh, expected kWh); `years_used` and `throughput_used` are shares
    of the warranty.
    """

    tests: tuple[tuple[float, float, float], ...]
    new_kwh: float
    years_used: float
    throughput_used: float | None
    promised_kwh: float
    sentence: str
    claim: bool


@dataclass(frozen=True, eq=False)
class Promise:
    """What a logbook's facts say of a plan."""

    years: tuple[YearHeld, ...]
    months: tuple[tuple[int, int, dict[str, Held]], ...]
    battery: BatteryHeld | None
    since: date | None
    sentence: str


def monthly_facts(entries: Iterable[object]) -> tuple[MonthFacts, ...]:
    """Facts month by month: as they were entered, else from counters read near two ends of a month.

    A later entry of a month stands for an earlier one. Counters are drawn straight between the days they were read on;
    a month counts where it lies between two readings at most 45 days apart.
    """
    found: dict[tuple[int, int], MonthFacts] = {}
    counters = sorted((entry for entry in entries if isinstance(entry, MeterCounters)), key=lambda entry: entry.on)
    for name in FLOWS:
        days = [date.fromisoformat(c.on).toordinal() for c in counters if getattr(c, name) is not None]
        values = [getattr(c, name) for c in counters if getattr(c, name) is not None]
        for before, after, low, high in zip(days, days[1:], values, values[1:], strict=False):
            # A counter that falls back was exchanged or reset.
            if high < low or after == before:
                continue
            for year, month, first, last in _months_between(before, after):
                if after - before > 45 and (first < before or last > after):
                    continue
                share = (min(last, after) - max(first, before)) / (after - before)
                kept = found.setdefault((year, month), MonthFacts(year=year, month=month))
                value = (getattr(kept, name) or 0.0) + (high - low) * share
                found[year, month] = kept.with_(**{name: round(value, 3)})
    whole = {key: item for key, item in found.items() if _is_covered(key, counters)}
    for entry in entries:
        if isinstance(entry, MonthFacts):
            whole[entry.year, entry.month] = entry
    return tuple(whole[key] for key in sorted(whole))


def _months_between(first: int, last: int) -> list[tuple[int, int, int, int]]:
    """Months that days [first, last) touch: year, month, their first day and the day after their last."""
    found, day = [], date.fromordinal(first).replace(day=1)
    while day.toordinal() < last:
        after = date(day.year + day.month // 12, day.month % 12 + 1, 1)
        found.append((day.year, day.month, day.toordinal(), after.toordinal()))
        day = after
    return found


def _is_covered(key: tuple[int, int], counters: Sequence[MeterCounters]) -> bool:
    """Whether a month lies between the first and the last day on which counters were read."""
    days = [date.fromisoformat(entry.on).toordinal() for entry in counters]
    year, month = key
    first, last = date(year, month, 1).toordinal(), date(year + month // 12, month % 12 + 1, 1).toordinal()
    return bool(days) and min(days) <= first + 2 and max(days) >= last - 2


class YearAgain:
    """The plan run again for a year: its array by the light of each month, its demand as it was measured."""

    def __init__(
        self, plan: Plan, option: Option, left: np.ndarray, weather: Mapping[int, SiteYear] | None = None
    ) -> None:
        self.plan, self.option, self.left = plan, option, left
        self.weather = weather or {}
        self.calendar = plan.site.calendar
        self.inputs = inputs_of(option.design, plan.job, plan.site, plan.demand)
        self.ghi = self._by_month(plan.site.weather.ghi) / 1000.0
        self.ageing = max((face.module.ageing_per_year for face in plan.faces), default=0.0)
        ordinary = counted(option)
        self.planned = self._flows(ordinary)
        # What the home takes, with what is lost on the way to it.
        self.taken = self._by_month(ordinary["pv"] + ordinary["import"] - ordinary["export"])

    def _by_month(self, series: np.ndarray) -> np.ndarray:
        month = self.calendar.month
        return np.bincount(month, weights=series, minlength=13)[1:] * self.calendar.step_h

    def _flows(self, series: dict[str, np.ndarray]) -> dict[str, np.ndarray]:
        return {
            "production_kwh": self._by_month(series["pv"]),
            "import_kwh": self._by_month(series["import"]),
            "export_kwh": self._by_month(series["export"]),
            "throughput_kwh": self._by_month(series["discharge"]),
        }

    def light_of(self, facts: Sequence[MonthFacts]) -> np.ndarray:
        """Each month's light over the plan's, 1 where it was not measured."""
        light = np.ones(12)
        for fact in facts:
            if fact.light_kwh_m2 is not None and self.ghi[fact.month - 1] > 1.0:
                light[fact.month - 1] = fact.light_kwh_m2 / self.ghi[fact.month - 1]
        return light

    def _by_the_hour(self, facts: Sequence[MonthFacts]) -> tuple[Inputs, np.ndarray]:
        """Inputs in the light of a year, and what is left to be scaled of each month where its hours are known."""
        light = self.light_of(facts)
        weather = self.weather.get(facts[0].year) if facts else None
        if weather is None:
            return self.inputs, light
        hours = self._by_month(weather.weather.ghi) / 1000.0
        # A month that was measured beside the file keeps its measured light, in the file's hours.
        scale = np.where(hours > 1.0, light * self.ghi / np.maximum(hours, 1e-9), 1.0)
        known = {fact.month for fact in facts if fact.light_kwh_m2 is not None}
        scale = np.array([scale[at] if at + 1 in known else 1.0 for at in range(12)])
        return inputs_in(self.inputs, self.option.design, self.plan.job, weather), scale

    def demand_of(self, facts: Sequence[MonthFacts]) -> tuple[np.ndarray, bool]:
        """Each month's demand over the plan's by what was made, bought and sent out; whether any month is known."""
        home, known = np.ones(12), False
        for fact in facts:
            if None in (fact.production_kwh, fact.import_kwh, fact.export_kwh):
                continue
            taken = (fact.production_kwh or 0.0) + (fact.import_kwh or 0.0) - (fact.export_kwh or 0.0)
            planned = self.taken[fact.month - 1]
            if taken > 0.0 and planned > 1.0:
                home[fact.month - 1] = np.clip(taken / planned, 0.2, 5.0)
                known = True
        return home, known

    def year(self, facts: Sequence[MonthFacts], age: float) -> dict[str, np.ndarray]:
        """Flows of each month [kWh], shape (12,), at an age of the plant in years."""
        month = self.calendar.month - 1
        inputs, scale = self._by_the_hour(facts)
        light = scale[month] * (1.0 - self.ageing) ** age
        home = self.demand_of(facts)[0][month]
        known = np.concatenate([[1.0], self.left]) if self.left.size else np.ones(2)
        left = float(np.interp(age, np.arange(known.size), known))
        run = replace(inputs.faded(left), pv_kw=inputs.pv_kw * light, home_kw=inputs.home_kw * home)
        if run.island is not None:
            # Off grid the island has the demand in its own loads, which months do not scale.
            run = replace(run, home_kw=inputs.home_kw)
        made = run_inputs(run)
        return self._flows(
            {
                "pv": made.of("pv_dc") - made.of("clipped") - made.of("curtailed"),
                "import": made.at_bus("import"),
                "export": made.at_bus("export"),
                "discharge": made.of("discharge"),
            }
        )


def counted(option: Option) -> dict[str, np.ndarray]:
    """Flows of an option's year that meters count [kW]: "pv" is what the array gave."""
    year = option.outcome.year
    return {
        "pv": year.of("pv_dc") - year.of("clipped") - year.of("curtailed"),
        "import": year.at_bus("import"),
        "export": year.at_bus("export"),
        "discharge": year.of("discharge"),
    }


def promise_of(
    plan: Plan,
    option: Option | RefusedOption,
    entries: Sequence[object],
    progress: Progress = unheard,
    folder: Path | None = None,
) -> Promise | None:
    """What a logbook's facts say of an option that was built.

    Parameters
    ----------
    plan : Plan
        Of the job, with the demand as it was measured where the job has it.
    option : Option
        What was built.
    entries : sequence
        The logbook's entries, `job.logbook`.
    progress : Progress
        Told before each year.
    folder : Path, optional
        Where the logbook lies: paths of its weather files start there.

    Returns
    -------
    Promise or None
        None for an option that cannot be built.
    """
    if isinstance(option, RefusedOption):
        return None
    facts = monthly_facts(entries)
    since = _since(entries, facts)
    progress(0.0, "Ageing of the battery")
    ageing = battery_ageing_of(plan, option)
    left = ageing.left if ageing is not None else np.zeros(0)
    weather, unread = weather_years(plan, entries, folder)
    again = YearAgain(plan, option, left, weather)
    years, months = [], []
    known = sorted({fact.year for fact in facts})
    for place, year in enumerate(known):
        progress(0.2 + 0.8 * place / max(len(known), 1), f"Running {year} again")
        mine = [fact for fact in facts if fact.year == year]
        held = _held(again, mine, year, since)
        years.append(_year(again, mine, held, plan))
        months += [
            (year, fact.month, item) for fact, item in zip(mine, _by_month(again, mine, year, since), strict=True)
        ]
    battery = _battery(plan, option, entries, facts, since, left)
    said = " ".join((_whole(years, battery), *unread))
    return Promise(tuple(years), tuple(months), battery, since, said)


def weather_years(
    plan: Plan, entries: Sequence[object], folder: Path | None = None
) -> tuple[dict[int, SiteYear], tuple[str, ...]]:
    """The weather of the years of which a logbook names a file, and a sentence on each file that cannot be used.

    A later entry of a year stands for an earlier one.
    """
    found: dict[int, SiteYear] = {}
    unread: dict[int, str] = {}
    for entry in entries:
        if not isinstance(entry, YearOfWeather):
            continue
        try:
            number = number_in_file((folder or Path.cwd()) / entry.path, entry.year)
            site = plan.job.site.with_(weather=WeatherFile(path=entry.path, year=number))
            found[entry.year] = site_year(site, None, folder or Path.cwd())
            unread.pop(entry.year, None)
        except InputError as error:
            unread[entry.year] = f"{entry.year}: {error}; its months of light stand for its hours."
    return found, tuple(unread.values())


def _since(entries: Iterable[object], facts: Sequence[MonthFacts]) -> date | None:
    """The day of commissioning, else the first day of the first month."""
    days = [date.fromisoformat(entry.on) for entry in entries if isinstance(entry, Handover)]
    if days:
        return min(days)
    return date(facts[0].year, facts[0].month, 1) if facts else None


def _age(year: int, month: int, since: date | None) -> float:
    return 0.0 if since is None else max((date(year, month, 15) - since).days / 365.25, 0.0)


def _by_month(
    again: YearAgain, facts: Sequence[MonthFacts], year: int, since: date | None
) -> list[dict[str, Held]]:
    """Every flow, month by month."""
    made, known = again.year(facts, _age(year, 7, since)), again.demand_of(facts)[1]
    found = []
    for fact in facts:
        at = fact.month - 1
        light_off = LIGHT_OFF if fact.light_kwh_m2 is not None else MONTH_OFF
        month = {}
        for flow in FLOWS:
            expected = float(made[flow][at])
            off = hypot(MODEL_OFF + 0.03, light_off) * expected
            if flow != "production_kwh":
                off = hypot(
                    off,
                    0.3 * light_off * float(made["production_kwh"][at]),
                    (0.05 if known else DEMAND_OFF) * expected,
                )
            month[flow] = Held(flow, getattr(fact, flow), float(again.planned[flow][at]), expected, off)
        found.append(month)
    return found


def _held(again: YearAgain, facts: Sequence[MonthFacts], year: int, since: date | None) -> tuple[Held, ...]:
    middle = sorted(fact.month for fact in facts)[len(facts) // 2]
    made = again.year(facts, _age(year, middle, since))
    demand_known = again.demand_of(facts)[1]
    lit = sum(fact.light_kwh_m2 is not None for fact in facts) / len(facts)
    light_off = LIGHT_OFF if lit > 0.99 else YEAR_OFF + (MONTH_OFF - YEAR_OFF) * (1.0 - len(facts) / 12.0)
    found = []
    for flow in FLOWS:
        given = [fact for fact in facts if getattr(fact, flow) is not None]
        at = [fact.month - 1 for fact in given]
        expected, planned = float(made[flow][at].sum()), float(again.planned[flow][at].sum())
        fact_kwh = sum(getattr(fact, flow) for fact in given) if given else None
        off = hypot(MODEL_OFF, light_off) * expected
        if flow != "production_kwh":
            # What crosses the meter is a difference: light and demand shift it by their own amounts.
            made_kwh = float(made["production_kwh"][at].sum())
            demand_off = 0.03 if demand_known else DEMAND_OFF
            off = hypot(off, 0.3 * light_off * made_kwh, demand_off * expected)
        found.append(Held(flow, fact_kwh, planned, expected, off))
    return tuple(found)


def _year(again: YearAgain, facts: Sequence[MonthFacts], held: tuple[Held, ...], plan: Plan) -> YearHeld:
    lit = [fact for fact in facts if fact.light_kwh_m2 is not None]
    light = None
    if lit:
        ordinary = sum(again.ghi[fact.month - 1] for fact in lit)
        light = sum(fact.light_kwh_m2 or 0.0 for fact in lit) / max(float(ordinary), 1e-9)
    made = next(item for item in held if item.flow == "production_kwh")
    year = facts[0].year
    words = _production_words(made, light, _dim_summer(again, facts, plan))
    more = "; ".join(
        f"{item.fact:,.0f} kWh {WORDS[item.flow].lower()} where {item.expected:,.0f} ± {item.off:,.0f} were expected"
        for item in held[1:]
        if item.fact is not None and (item.is_short or item.is_over)
    )
    sentence = f"{words} Also: {more}." if more else words
    return YearHeld(year, tuple(fact.month for fact in facts), held, light, sentence, made.is_short)


def _dim_summer(again: YearAgain, facts: Sequence[MonthFacts], plan: Plan) -> str:
    """Words for a summer with less light than an ordinary one; empty where it was none."""
    months = SUMMER[plan.job.site.latitude >= 0]
    lit = [fact for fact in facts if fact.month in months and fact.light_kwh_m2 is not None]
    if len(lit) < 2:
        return ""
    share = sum(fact.light_kwh_m2 or 0.0 for fact in lit) / sum(float(again.ghi[fact.month - 1]) for fact in lit)
    return f"The summer was dim: {1.0 - share:.0%} less light than an ordinary one. " if share < DIM else ""


def _production_words(made: Held, light: float | None, summer: str) -> str:
    if made.fact is None:
        return "The array's production was not read."
    said = f"{made.fact:,.0f} kWh made, {made.expected:,.0f} ± {made.off:,.0f} to be expected"
    within = "in the light there was" if light is not None else "in an ordinary year; the light was not measured"
    if made.is_short:
        share = 1.0 - made.fact / max(made.expected, 1e-9)
        return (
            f"{summer}{said} {within}: {share:.0%} less than that explains. Look at strings, isolators, dirt and new "
            "shade, month by month."
        )
    if summer:
        return f"{summer}{said} {within}: the light explains it, the system does what it should."
    if made.is_over:
        return f"{said} {within}: more than promised."
    return f"{said} {within}: as promised."


def _battery(
    plan: Plan,
    option: Option,
    entries: Sequence[object],
    facts: Sequence[MonthFacts],
    since: date | None,
    left: np.ndarray,
) -> BatteryHeld | None:
    converter = option.design.battery_converter
    if converter is None or since is None:
        return None
    bank, pack = converter.bank, converter.bank.pack
    new_kwh = bank.usable_kwh
    known = np.concatenate([[1.0], left]) if left.size else np.ones(2)
    tests = []
    for entry in entries:
        if isinstance(entry, CapacityTest):
            age = max((date.fromisoformat(entry.on) - since).days / 365.25, 0.0)
            tests.append((age, entry.kwh, new_kwh * float(np.interp(age, np.arange(known.size), known))))
    tests.sort()
    ends = [date(fact.year, fact.month, 28) for fact in facts]
    ends += [date.fromisoformat(entry.on) for entry in entries if isinstance(entry, CapacityTest)]
    age = max(((day - since).days / 365.25 for day in ends), default=0.0)
    turned = [fact.throughput_kwh for fact in facts if fact.throughput_kwh is not None]
    promised_through = pack.warranty_mwh_per_kwh * bank.nominal_kwh * 1000.0
    used = sum(turned) / promised_through if turned and promised_through > 0 else None
    years_used = age / pack.warranty_years if pack.warranty_years else 1.0
    floor = pack.warranty_fraction * new_kwh
    sentence, claim = _claim(tests, floor, new_kwh, pack.warranty_years, age, used)
    return BatteryHeld(tuple(tests), new_kwh, years_used, used, floor, sentence, claim)


def _claim(
    tests: Sequence[tuple[float, float, float]],
    floor: float,
    new_kwh: float,
    years: float,
    age: float,
    used: float | None,
) -> tuple[str, bool]:
    """What the capacity tests say, and whether the maker is to be written to."""
    if not tests:
        return "No capacity test yet: one a year, from full to cut-off at a steady load, shows how it ages.", False
    when, kwh, expected = tests[-1]
    over = age >= years or (used is not None and used >= 1.0)
    said = (
        f"After {when:.1f} years it gives {kwh:.1f} kWh, {kwh / new_kwh:.0%} of new; {expected:.1f} kWh "
        f"({expected / new_kwh:.0%}) were to be expected"
    )
    until = f"the warranty promises {floor:.1f} kWh for {years:g} years"
    if kwh >= expected * (1.0 - TEST_OFF):
        return f"{said}: it ages as planned.", False
    if over:
        return f"{said}: it fades faster than planned, and the warranty is used up.", False
    if kwh < floor:
        return f"{said}: below what {until}. Claim now, with this test and the logbook.", True
    pace = (new_kwh - kwh) / max(when, 0.25)
    reached = (new_kwh - floor) / pace if pace > 0 else float("inf")
    if reached < years:
        return (
            f"{said}: it fades faster than planned. At this pace it is below {floor:.1f} kWh after {reached:.1f} "
            f"years, and {until}. Tell the maker now, test again in six months, and claim as soon as a test is below.",
            True,
        )
    return (
        f"{said}: it fades faster than planned, but would still be above what {until}. Test again in a year.",
        False,
    )


def _whole(years: Sequence[YearHeld], battery: BatteryHeld | None) -> str:
    if not years and (battery is None or not battery.tests):
        return "No figures yet: enter months, counters or a capacity test, or read a meter's export."
    short = [str(year.year) for year in years if year.short]
    said = f"Array: less than promised in {', '.join(short)}." if short else "Array: as promised." if years else ""
    if battery is not None and battery.tests:
        fades = "as planned" not in battery.sentence
        said += " Battery: fades faster than planned." if fades else " Battery: ages as planned."
    return said.strip()
