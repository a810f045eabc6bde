"""Every plant that can be built from the catalogue on a job's roof: simulated, weighed, and ready to be opened."""

from collections import deque
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import cached_property, partial
from re import search as search_in
from re import sub
from typing import Any, TypeVar

import numpy as np

from calm_relay.job.control import Control, GridCharge, PriceCharge, Window
from calm_relay.job.equipment import Module, Priced
from calm_relay.job.model import Job
from calm_relay.physics.plant.inputs import Inputs, bus_inputs
from calm_relay.physics.plant.island import IslandSums
from calm_relay.physics.plant.year import BufferPool, PlantBus
from calm_relay.planning.architecture.cost import CostLine, cost_lines
from calm_relay.planning.architecture.design import Design, DesignContext, Refusal
from calm_relay.planning.architecture.options import within_connection
from calm_relay.planning.architecture.parts import array_refusals
from calm_relay.planning.architecture.refusals import (
    bus_refusals,
    generator_refusals,
    place_refusals,
    room_refusals,
)
from calm_relay.planning.architecture.unbalance import unbalance_of
from calm_relay.planning.architecture.ways import architectures
from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.equipment.bank import bank_of
from calm_relay.planning.operation.controls import control_of, usual_delay
from calm_relay.planning.operation.delayed_charging import delayed_until, waiting_of, worth_a_window
from calm_relay.planning.operation.finance import bill_kinds
from calm_relay.planning.operation.island import forms_grid, leg_volts
from calm_relay.planning.operation.lasting import LastingStarts, lasting_starts
from calm_relay.planning.operation.must_haves import costs_too_much, lines_of
from calm_relay.planning.operation.outcome import (
    Brief,
    aged_kinds,
    battery_left,
    begun_with,
    brief_of,
    lost_of,
)
from calm_relay.planning.operation.phases import highest_phase_kw, home_alone_kw, relay_passes_a, through_relay
from calm_relay.planning.operation.simulate import inputs_of
from calm_relay.planning.plan import WORKERS, Plan
from calm_relay.planning.site.array import face_with, faces_of
from calm_relay.planning.site.demand import DemandYear
from calm_relay.planning.site.roof_room import most_on, room_of
from calm_relay.planning.strings.stringing import hard_refusals
from calm_relay.planning.verdict.choice import score_of
from calm_relay.planning.verdict.purposes import bill_to_measure_by

# What plants are counted under that miss a hard line of the job.
MISSED = "What the customer must have"
# What reasons are counted under, by what they say; others by their own words without their figures.
KINDS_OF_REASON = (
    (
        r" is for .+, the supply is | needs a neutral, the supply | may not hang between two phases",
        "The unit is for another service",
    ),
    (r" finds? no (input|place)", "Modules find no input"),
    (r" stand at .* takes ", "The battery's voltage does not fit the unit"),
    (r" times .* its maker allows ", "More array than the maker allows"),
    (r" falls to .* when hot", "Modules fall below the microinverter's window when hot"),
    (r" reaches .* when cold", "Modules rise above the microinverter's limit when cold"),
    (r"^More array on the bus of ", "More array on the AC bus than the unit takes"),
    (r" has no generator input", "The unit has no generator input"),
    (r"^the relay passes less ", "The relay passes less than what is behind it"),
    (r" kWh (in|outdoors)\b.*(may)$", "More battery than may stand in its room"),
)
# Designs that wait for each worker: it never has to, and a search that is called off ends soon.
AHEAD = 3


Item = TypeVar("Item", bound=Priced)


@dataclass(frozen=True)
class Roof:
    """What is done with the modules: a name, and the job with it done."""

    name: str
    job: Job


@dataclass(frozen=True)
class ControlProfile:
    """One way to control the battery: a name, its charge windows and orders."""

    name: str
    windows: tuple[GridCharge, ...]
    control: Control


@dataclass(frozen=True, eq=False)
class Plant:
    """A plant that passes the hard checks, and what its year comes to.

    `job` is the job with this plant stated in it, `key` the option of its plan that is this plant.
    """

    number: int
    key: str
    design: Design
    roof: str
    profile: str
    job: Job
    brief: Brief
    score: float

    @property
    def title(self) -> str:
        """What it is, in a line."""
        converter = self.design.leader
        name = converter.inverter.name
        return f"{converter.bank.summary} on {name}"


@dataclass(frozen=True, eq=False)
class SearchResult:
    """What a search found: the plants, how many were tried, and why the others fell out, most frequent first."""

    plants: tuple[Plant, ...]
    tried: int
    refused: tuple[tuple[str, int], ...]


@dataclass(frozen=True)
class PlantFilter:
    """What a plant must have to be shown; None where it does not matter."""

    outlay_max: float | None = None
    backup_kw_min: float | None = None
    backup_hours_min: float | None = None
    counted_kw_max: float | None = None
    roof_untouched: bool = False
    chemistry: str | None = None
    unmet_max: float | None = None

    def met_by(self, plant: Plant) -> bool:
        """Whether a plant has all of it."""
        brief, design = plant.brief, plant.design
        return (
            (self.outlay_max is None or brief.money.outlay <= self.outlay_max)
            and (self.backup_kw_min is None or brief.backup.power_kw >= self.backup_kw_min)
            and (self.backup_hours_min is None or brief.backup.hours >= self.backup_hours_min)
            and (self.counted_kw_max is None or design.counted_kw(plant.job.supply) <= self.counted_kw_max)
            and (not self.roof_untouched or (design.strings_moved == 0 and not design.removed))
            and (self.chemistry is None or design.leader.bank.pack.chemistry == self.chemistry)
            and (self.unmet_max is None or brief.unmet is None or brief.unmet <= self.unmet_max + 1e-9)
        )


BENEFITS: dict[str, tuple[str, Callable[[Plant], float]]] = {
    "saving": ("saved a year", lambda plant: plant.brief.money.saving),
    "npv": ("worth over the job's years", lambda plant: plant.brief.money.npv),
    "score": ("fits the purposes, of 100", lambda plant: plant.score * 100.0),
    "self-sufficiency": (
        "self-sufficiency, % of the home's energy",
        lambda plant: plant.brief.self_sufficiency * 100.0,
    ),
    "hours": ("hours on backup", lambda plant: plant.brief.backup.hours),
}


def efficient_edge(plants: tuple[Plant, ...] | list[Plant], benefit: str) -> tuple[Plant, ...]:
    """The plants of which none costs less and brings as much, by rising outlay."""
    worth = BENEFITS[benefit][1]
    edge, best = [], -np.inf
    for plant in sorted(plants, key=lambda plant: (plant.brief.money.outlay, -worth(plant), plant.number)):
        if worth(plant) > best + 1e-9:
            edge.append(plant)
            best = worth(plant)
    return tuple(edge)


def filter_of(job: Job) -> PlantFilter:
    """What a plant must have by the job itself: off grid, to leave no more unserved than is allowed."""
    return PlantFilter(unmet_max=None if job.supply.on_grid else job.off_grid.unmet_max)


def control_profiles_of(job: Job, *, turned_away: bool = False) -> tuple[ControlProfile, ...]:
    """Ways to control the battery that this tariff makes sense of, the job's own first.

    `turned_away` says that export limit or inverters turn power away, which a battery that is charged later may store.
    """
    result = [ControlProfile("as the job says", job.battery.charge_windows, job.control)]
    if not job.supply.on_grid:
        return tuple(result)
    # The order of loads, the margin at the meter and a time clock are the house's, whatever the battery does.
    alone = job.control.model_copy(
        update={
            "discharge_windows": (),
            "export_windows": (),
            "delay_windows": (),
            "shave_above_kw": None,
            "by_price": None,
        }
    )
    result.append(ControlProfile("self-use alone", (), alone))
    windows = job.tariff.windows
    cheap = job.tariff.cheapest
    dear = [window for window in windows if window.price == max(item.price for item in windows)]
    if cheap is not None:
        for target in (0.5, 0.8, 1.0):
            night = GridCharge(start=cheap.start, end=cheap.end, target=target)
            result.append(ControlProfile(f"charged in “{cheap.name}” to {target:.0%}", (night,), alone))
        hours = _apart({Window(start=window.start, end=window.end) for window in dear})
        if hours and not any(
            window.meets(cheap_window) for window in hours for cheap_window in result[-1].windows
        ):
            result.append(
                ControlProfile(
                    "charged at night, discharged when dear",
                    result[-1].windows,
                    alone.model_copy(update={"discharge_windows": hours}),
                )
            )
    if job.tariff.hourly is not None:
        by_price = alone.model_copy(update={"by_price": job.control.by_price or PriceCharge()})
        result.append(ControlProfile("charged when the hour is cheap", (), by_price))
    delay = delayed_until(job, usual_delay(job.site.latitude).end) if turned_away else ()
    if delay:
        late = job.control.model_copy(update={"delay_windows": delay})
        result.append(ControlProfile(f"charging delayed to {delay[0].end}", job.battery.charge_windows, late))
    kept, seen = [], set()
    for profile in result:
        if (profile.windows, profile.control) not in seen:
            seen.add((profile.windows, profile.control))
            kept.append(profile)
    return tuple(kept)


def _apart(windows: set[Window]) -> tuple[Window, ...]:
    """Windows of which no two meet, the earlier ones kept."""
    kept: list[Window] = []
    for window in sorted(windows, key=lambda window: window.start):
        if not any(window.meets(other) for other in kept):
            kept.append(window)
    return tuple(kept)


def roofs_of(plan: Plan) -> tuple[Roof, ...]:
    """The roof as the survey plans it, and with every other module of the catalogue that its faces can take."""
    job = plan.job
    roofs = [Roof("modules as planned", job)]
    for module in _known_price(plan.options[0].context.equipment.on_offer.modules):
        changed = _roof_of(plan, module)
        if changed is not None:
            roofs.append(Roof(f"new {module.name}", changed))
    return tuple(roofs)


def _known_price(items: Sequence[Item], *wanted: str | None) -> list[Item]:
    """What has a price, and what the job asks for: else what nobody has priced would be the cheapest of all."""
    priced = [item for item in items if item.price > 0.0 or item.key in wanted]
    return priced if any(item.price > 0.0 for item in items) else list(items)


def _roof_of(plan: Plan, module: Module) -> Job | None:
    """A job whose measured faces are laid anew with a module; None where none is, or it would give less."""
    faces, before, after = [], 0.0, 0.0
    for face in plan.faces:
        fate, room = face.plan.fate, room_of(face, module)
        if fate in {"keep", "remove"} or room is None or room.count < 2 or face.plan.module == module.key:
            faces.append(face.plan)
            continue
        new = face_with(plan.job, plan.site, face, module, most_on(room)).plan
        new = new.with_(fate="new", rectangle=face.plan.rectangle, electronics=None, name=f"{face.plan.name}, new")
        before, after = before + face.rated_kw, after + module.power_w * most_on(room) / 1000.0
        faces.append(new)
        if face.plan.is_there:
            faces.append(face.plan.with_(fate="remove"))
    if after <= before * 1.05:
        return None
    return plan.job.with_(faces=tuple(faces), string_plans=())


def batteries_of(plan: Plan) -> Iterator[dict[str, Any]]:
    """Fields of `Job.battery` of every bank that the catalogue's packs make."""
    packs = plan.options[0].context.equipment.on_offer.packs
    for pack in _known_price(packs, plan.job.battery.pack):
        if pack.expansion_of is not None:
            continue
        extra = next((item for item in packs if item.expansion_of == pack.key), None)
        for count in range(pack.count_min, pack.count_max + 1):
            for expansions in range(extra.count_max + 1 if extra else 1):
                yield {"pack": pack.key, "count": count, "stacks": 1, "expansions": expansions}
            # A further stack begins where the others are full.
            for stacks in range(2, pack.stacks_max + 1):
                if count * stacks > pack.count_max * (stacks - 1):
                    yield {"pack": pack.key, "count": count, "stacks": stacks, "expansions": 0}


def search(plan: Plan, progress: Progress = unheard, most: int = 20_000) -> SearchResult:
    """Simulates every buildable plant: roofs, architectures, converters, packs, heights, units and habits.

    Parameters
    ----------
    plan : Plan
        Of the job as it stands.
    progress : Progress
        Told between heaps of plants; it may call the search off.
    most : int
        Plants tried at most.
    """
    refused: dict[str, int] = {}
    progress(0.0, "Laying out the plants")
    profiles = control_profiles_of(plan.job, turned_away=_turns_away(plan))
    designs = _candidates(plan, refused, progress)[: -(-most // len(profiles))]
    # What costs more than the customer gives need not be run to be known for it.
    within = [
        (place * len(profiles), *entry)
        for place, entry in enumerate(designs)
        if not costs_too_much(entry[2], entry[1])
    ]
    if len(within) < len(designs):
        refused[MISSED] = refused.get(MISSED, 0) + (len(designs) - len(within)) * len(profiles)
    weighed = _all_weighed(plan, within, profiles, progress)
    plants: list[Plant] = []
    for _, result in sorted(weighed.items()):
        if isinstance(result, str):
            refused[result] = refused.get(result, 0) + 1
        else:
            plants.append(result)
    summary = sorted(refused.items(), key=lambda entry: -entry[1])
    return SearchResult(tuple(plants[:most]), len(plants) + sum(refused.values()), tuple(summary))


def _turns_away(plan: Plan) -> bool:
    """Whether the battery of some option would better wait for what is turned away."""
    found = (waiting_of(option.design, plan.job, plan.site, option.outcome.year) for option in plan.live)
    return any(waiting is not None and waiting.worth >= worth_a_window(plan.job) for waiting in found)


@dataclass(frozen=True, eq=False)
class _Laid:
    """A design on its roof: the number of its first plant, the job that states it, what its year reads."""

    first: int
    roof: str
    job: Job
    design: Design
    inputs: Inputs


def _all_weighed(
    plan: Plan,
    designs: list[tuple[int, str, Job, Design]],
    profiles: tuple[ControlProfile, ...],
    progress: Progress,
) -> "dict[int, Plant | str]":
    """Every plant by its number, or what it fails by. A worker runs and weighs the plants of a design one by one."""
    whole, begun = len(designs) * len(profiles), 0
    rooms, waiting = (BufferPool(), BufferPool()), deque["Future[dict[int, Plant | str]]"]()
    weighed: dict[int, Plant | str] = {}
    with ThreadPoolExecutor(WORKERS) as workers:
        try:
            for alike in _alike(plan, designs, progress):
                if len(waiting) >= AHEAD * WORKERS:
                    weighed |= waiting.popleft().result()
                done = begun * len(profiles)
                progress(0.1 + 0.9 * done / whole, f"Trying plant {done:,} of {whole:,}")
                waiting.append(workers.submit(_run_and_weighed, plan, alike, profiles, rooms))
                begun += len(alike)
            for future in waiting:
                weighed |= future.result()
        except BaseException:
            workers.shutdown(cancel_futures=True)
            raise
    return weighed


def _alike(plan: Plan, designs: list[tuple[int, str, Job, Design]], progress: Progress) -> Iterable[list[_Laid]]:
    """Designs, those whose years are the same in one list.

    Two packs of one size are one of twice the size to the run: they differ in what they cost and in how they age.
    """
    same: dict[bytes, list[_Laid]] = {}
    for first, roof, job, design in designs:
        progress(0.1, "Comparing the plants")
        laid = _Laid(first, roof, job, design, inputs_of(design, job, plan.site, plan.demand))
        same.setdefault(laid.inputs.digest, []).append(laid)
    return same.values()


@dataclass(frozen=True, eq=False)
class _Tried:
    """What all control profiles of a design share."""

    roof: str
    design: Design
    job: Job
    lasting: LastingStarts | None
    lost: dict[str, float]

    @cached_property
    def lines(self) -> tuple[CostLine, ...]:
        """What it costs."""
        return cost_lines(self.design, self.job)


@dataclass(frozen=True, eq=False)
class _Trial:
    """A design under one control profile, what its run reads, and whether its last year is run too."""

    number: int
    of: _Tried
    profile: ControlProfile
    job: Job
    inputs: Inputs
    ages: bool


def _run_and_weighed(
    plan: Plan, alike: list[_Laid], profiles: tuple[ControlProfile, ...], rooms: tuple[BufferPool, BufferPool]
) -> dict[int, Plant | str]:
    """Designs of the same year under each control profile, each by its number as a plant, or what it fails by.

    `rooms` are for the years of today and for the last ones.
    """
    now, at_last = rooms
    found: dict[int, Plant | str] = {}
    for trials in _tuned(plan, alike, profiles):
        year = bus_inputs(trials[0].inputs, now)
        for trial, last in zip(trials, _last_kinds(plan, trials, year, at_last), strict=True):
            found[trial.number] = _weighed(plan, trial, year, _ridden(trial, year), last)
    return found


def _ridden(trial: _Trial, year: IslandSums | PlantBus) -> float | None:
    """Share of outages ridden through; off grid it is not asked for."""
    if isinstance(year, IslandSums):
        return None
    return 0.0 if trial.of.lasting is None else trial.of.lasting.share(year)


def _last_kinds(
    plan: Plan, trials: list[_Trial], bus: IslandSums | PlantBus, room: BufferPool
) -> Iterator[dict[str, float] | None]:
    """The bill of the last year of each trial of one year, run once for those that age alike."""
    ageing = max((face.module.ageing_per_year for face in plan.faces), default=0.0)
    known: dict[float, dict[str, float]] = {}
    for trial in trials:
        if not trial.ages:
            yield None
            continue
        left = battery_left(trial.of.design, trial.job, plan.site, bus)
        at_last = float(begun_with(left)[-1])
        if at_last not in known:
            run = partial(bus_inputs, buffers=room)
            known[at_last] = aged_kinds(trial.inputs, left, trial.job, plan.site, ageing, run)
        yield known[at_last]


def _lost(plan: Plan, trial: _Trial, bus: PlantBus, last: dict[str, float] | None) -> dict[str, float]:
    """What of a design's saving is lost by the last year; its first profile stands for the others."""
    if last is not None:
        now, kinds = plan.as_is.outcome.money, bill_kinds(bus, trial.job, plan.site)
        trial.of.lost.update(lost_of(kinds, last, now.kinds, now.last_kinds))
    return trial.of.lost


def _tuned(plan: Plan, alike: list[_Laid], profiles: tuple[ControlProfile, ...]) -> Iterator[list[_Trial]]:
    """Designs of the same year under each control profile, those controlled alike together.

    Outages of a design are the same under all profiles: without a grid none of them counts.
    """
    tried: list[_Tried] = []
    for laid in alike:
        lasting = lasting_starts(laid.design, laid.job, plan.demand, plan.site, laid.inputs)
        same = next((of.lasting for of in tried if lasting is not None and lasting.same_as(of.lasting)), lasting)
        tried.append(_Tried(laid.roof, laid.design, laid.job, same, {}))
    for place, profile in enumerate(profiles):
        found: dict[int, list[_Trial]] = {}
        for laid, of in zip(alike, tried, strict=True):
            battery = laid.job.battery.model_copy(update={"charge_windows": profile.windows})
            tuned = laid.job.model_copy(update={"battery": battery, "control": profile.control})
            series = laid.inputs.home_kw, laid.inputs.pv_kw
            control = control_of(laid.design, tuned, plan.site.calendar, *series)
            inputs = replace(laid.inputs, control=control)
            trial = _Trial(laid.first + place, of, profile, tuned, inputs, place == 0)
            found.setdefault(id(control), []).append(trial)
        yield from found.values()


def _weighed(
    plan: Plan,
    trial: _Trial,
    sums: IslandSums | PlantBus,
    ridden: float | None,
    last: dict[str, float] | None,
) -> Plant | str:
    """A simulated design as a plant, or what it fails by: the main fuse, or a hard line of the job."""
    job, design = trial.job, trial.of.design
    lost = _lost(plan, trial, sums, last)
    if job.supply.on_grid and _fuse_blows(design, job, plan.demand, sums):
        return "The main fuse"
    now = plan.as_is.outcome.money
    brief = brief_of(
        sums,
        design,
        job,
        plan.site,
        plan.demand,
        now.kinds,
        lost,
        lasting=trial.of.lasting,
        ridden=ridden,
        lines=trial.of.lines,
    )
    if any(line.missed for line in lines_of(brief, job)):
        return MISSED
    bill = bill_to_measure_by(job, plan.demand, now.bill)
    score = score_of(design, brief, job, bill).total
    return Plant(
        trial.number, design.architecture.key, design, trial.of.roof, trial.profile.name, job, brief, score
    )


def _fuse_blows(design: Design, job: Job, demand: DemandYear, sums: PlantBus) -> bool:
    supply = job.supply
    # What is assumed stops nothing, here as in the findings.
    if "supply.main_fuse_a" in job.assumed:
        return False
    limit_kw = supply.main_fuse_a * leg_volts(supply.phases, supply.volts) / 1000.0
    drawn_kw, fed_kw = highest_phase_kw(design, job, demand, sums)
    if fed_kw > limit_kw + 1e-9:
        return True
    return drawn_kw > limit_kw + 1e-9 and drawn_kw > home_alone_kw(design, job, demand) + 1e-9


def _candidates(
    plan: Plan, refused: dict[Any, Any], progress: Callable[..., Any]
) -> list[tuple[str, Job, Design]]:
    """Every design that passes the checks: the roof's name, the job that states it, the design."""
    result = []
    roofs = roofs_of(plan)
    for place, roof in enumerate(roofs):
        progress(0.1 * place / len(roofs), f"Laying out the plants: {roof.name}")
        context = _context(plan, roof.job)
        for battery in batteries_of(plan):
            result += [(roof.name, job, design) for design, job in _designs(context, roof.job, battery, refused)]
    return result


def _context(plan: Plan, job: Job) -> DesignContext:
    first = plan.options[0].context
    faces = faces_of(job, plan.equipment, plan.site)
    return replace(first, survey=replace(first.survey, job=job, faces=faces))


def _designs(
    context: DesignContext, job: Job, battery: dict[str, str | int], refused: dict[str, int]
) -> Iterator[tuple[Design, Job]]:
    """Designs of one bank: each architecture on each converter that takes it."""
    equipment = context.equipment
    catalogue = equipment.on_offer
    family = equipment.pack(str(battery["pack"]), "battery.pack").family
    wanted = job.battery
    inverters = [
        item
        for item in _known_price(catalogue.inverters, wanted.battery_inverter, wanted.hybrid)
        if item.battery and family in item.battery.families and not item.plug_in
    ]
    for inverter in inverters:
        field = "battery_inverter" if inverter.pv is None else "hybrid"
        most = min(inverter.units_max, 2)
        for units in range(1, most + 1):
            stated = {**battery, "units": units, field: inverter.key}
            held = job.model_copy(update={"battery": job.battery.model_copy(update=stated)})
            bank = bank_of(held, equipment)
            here = replace(context, survey=replace(context.survey, job=held), bank=bank)
            for way in architectures():
                if not way.tried_with(inverter, context):
                    continue
                design = within_connection(way.build(here), here)
                reasons = design.reasons if isinstance(design, Refusal) else _hard(design, here)
                if isinstance(design, Refusal) or reasons:
                    refused[_short(reasons[0])] = refused.get(_short(reasons[0]), 0) + 1
                else:
                    yield design, held


def _hard(design: Design, context: DesignContext) -> list[str]:
    """What stops a design that could be connected."""
    survey = context.survey
    for converter in design.pv_converters:
        if converter.micro or not converter.is_new:
            continue
        reasons = array_refusals(context, converter.inverter, converter.faces, converter.has_battery)
        reasons += hard_refusals(converter.stringing, context.temperatures, survey.site_limit)
        if reasons:
            return reasons
    job = context.job
    unbalance = unbalance_of(design, context)
    if unbalance is not None and unbalance.stops:
        return ["more on one phase than the rules allow"]
    unit = design.battery_converter
    if job.supply.on_grid and job.backup_board is not None and forms_grid(unit):
        volts = leg_volts(unit.inverter.phases, unit.inverter.volts)
        most_a = float(through_relay(design, job, context.demand).max()) * 1000.0 / volts
        if most_a > relay_passes_a(unit):
            return [f"the relay passes less than what is behind it, {most_a:.0f} A"]
    reasons = generator_refusals(design, job) + bus_refusals(design, job) + place_refusals(design, survey)
    return reasons + room_refusals(design, job, context.rules)


def _short(reason: str) -> str:
    """What kind of reason it is, so that like ones are counted together."""
    for pattern, words in KINDS_OF_REASON:
        if search_in(pattern, reason):
            return words
    clause = reason.split(": ", 1)[-1].split(";")[0]
    words = sub(r"\d[\d.,]*(?= (?:kWp|kWh|kW|V|A|W|m|modules)\b)", "…", clause)
    return f"{words[:1].upper()}{words[1:80]}"


def plant_rows(result: SearchResult) -> list[list[Any]]:
    """Every plant as a row of a table, with a head."""
    rows: list[list[Any]] = [
        [
            "number",
            "option",
            "battery",
            "inverter",
            "roof",
            "control",
            "usable kWh",
            "outlay",
            "saving a year",
            "npv",
            "self-sufficiency",
            "backup kW",
            "backup hours",
            "counted kW",
            "unserved",
            "score",
        ]
    ]
    for plant in result.plants:
        converter, brief = plant.design.leader, plant.brief
        figures = (
            converter.bank.usable_kwh,
            brief.money.outlay,
            brief.money.saving,
            brief.money.npv,
            brief.self_sufficiency,
            brief.backup.power_kw,
            brief.backup.hours,
            plant.design.counted_kw(plant.job.supply),
            brief.unmet or 0.0,
            plant.score,
        )
        summary = [
            plant.number,
            plant.key,
            converter.bank.summary,
            converter.inverter.name,
            plant.roof,
            plant.profile,
        ]
        rows.append([*summary, *(round(figure, 6) for figure in figures)])
    return rows
