"""Every plant that can be built from the catalogue on a job's roof: simulated, weighed, and ready to be opened."""

from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from re import sub

import numpy as np

from calm_relay.job.control import Control, GridCharge, Window
from calm_relay.job.equipment import Module
from calm_relay.job.model import Job
from calm_relay.physics.year import Shelf, bus_plants
from calm_relay.planning.architecture.design import Design, Ground
from calm_relay.planning.architecture.extra_options import dc_bus, hybrid_beside
from calm_relay.planning.architecture.options import ac_addon, ac_bus, hybrid_swap, micro_ac, within_connection
from calm_relay.planning.architecture.parts import array_refusals
from calm_relay.planning.architecture.refusals import bus_refusals, generator_refusals, place_refusals
from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.equipment.bank import bank_of
from calm_relay.planning.equipment.equipment import kit_of
from calm_relay.planning.operation.controls import orders_of
from calm_relay.planning.operation.outcome import Brief, brief_of
from calm_relay.planning.operation.simulate import inputs_of, sum_inputs
from calm_relay.planning.plan import WORKERS, Plan
from calm_relay.planning.site.array import face_with, faces_of
from calm_relay.planning.site.roof_room import room_of
from calm_relay.planning.strings.stringing import hard_refusals
from calm_relay.planning.verdict.choice import score_of

# Designs handed to the workers at a time: between two such heaps the search may be called off.
HEAP = 4


@dataclass(frozen=True)
class Roof:
    """What is done with the modules: a name, and the job with it done."""

    name: str
    job: Job


@dataclass(frozen=True)
class Habit:
    """One way to control the store: a name, its charge windows and orders."""

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
    habit: str
    job: Job
    brief: Brief
    score: float

    @property
    def title(self) -> str:
        """What it is, in a line."""
        box = self.design.store_box
        name = box.converter.name
        return f"{box.bank.told} on {name}"


@dataclass(frozen=True, eq=False)
class Found:
    """What a search found: the plants, how many were tried, and why the others fell out, most frequent first."""

    plants: tuple[Plant, ...]
    tried: int
    refused: tuple[tuple[str, int], ...]


@dataclass(frozen=True)
class MustHaves:
    """What a plant must have to be shown; None where it does not matter."""

    outlay_max: float | None = None
    dark_kw_min: float | None = None
    dark_hours_min: float | None = None
    counted_kw_max: float | None = None
    roof_untouched: bool = False
    chemistry: str | None = None
    unmet_max: float | None = None

    def met_by(self, plant: Plant) -> bool:
        """Whether a plant has all of it."""
        brief, design = plant.brief, plant.design
        return (
            (self.outlay_max is None or brief.money.outlay <= self.outlay_max)
            and (self.dark_kw_min is None or brief.dark.power_kw >= self.dark_kw_min)
            and (self.dark_hours_min is None or brief.dark.hours >= self.dark_hours_min)
            and (self.counted_kw_max is None or design.counted_kw <= self.counted_kw_max)
            and (not self.roof_untouched or (design.strings_moved == 0 and not design.removed))
            and (self.chemistry is None or design.store_box.bank.pack.chemistry == self.chemistry)
            and (self.unmet_max is None or brief.unmet is None or brief.unmet <= self.unmet_max + 1e-9)
        )


BENEFITS: dict[str, tuple[str, Callable[[Plant], float]]] = {
    "saving": ("saved a year", lambda plant: plant.brief.money.saving),
    "npv": ("worth over the job's years", lambda plant: plant.brief.money.npv),
    "score": ("serves the purposes, of 100", lambda plant: plant.score * 100.0),
    "own": ("own power, % of the home's energy", lambda plant: plant.brief.self_sufficiency * 100.0),
    "hours": ("hours when dark", lambda plant: plant.brief.dark.hours),
}


def efficient_edge(plants, benefit: str) -> tuple[Plant, ...]:
    """The plants of which none costs less and brings as much, by rising outlay."""
    worth = BENEFITS[benefit][1]
    edge, best = [], -np.inf
    for plant in sorted(plants, key=lambda plant: (plant.brief.money.outlay, -worth(plant), plant.number)):
        if worth(plant) > best + 1e-9:
            edge.append(plant)
            best = worth(plant)
    return tuple(edge)


def must_haves_of(job: Job) -> MustHaves:
    """What a plant must have by the job itself: without a street, to leave no more unserved than is allowed."""
    return MustHaves(unmet_max=None if job.supply.street else job.alone.unmet_max)


def habits_of(job: Job) -> tuple[Habit, ...]:
    """Ways to control the store that this tariff makes sense of, the job's own first."""
    found = [Habit("as the job says", job.store.charge_windows, job.control)]
    if not job.supply.street:
        return tuple(found)
    found.append(Habit("self-use alone", (), Control()))
    windows = job.tariff.windows
    cheap = min(windows, key=lambda window: window.price, default=None)
    dear = [window for window in windows if window.price == max(item.price for item in windows)]
    if cheap is not None and cheap.price < job.tariff.price:
        for target in (0.5, 0.8, 1.0):
            night = GridCharge(start=cheap.start, end=cheap.end, target=target)
            found.append(Habit(f"filled in “{cheap.name}” to {target:.0%}", (night,), Control()))
        hours = _apart({Window(start=window.start, end=window.end) for window in dear})
        if hours and not any(window.meets(cheap_window) for window in hours for cheap_window in found[-1].windows):
            night = found[-1].windows
            found.append(Habit("filled at night, given when dear", night, Control(discharge_windows=hours)))
    kept, seen = [], set()
    for habit in found:
        if (habit.windows, habit.control) not in seen:
            seen.add((habit.windows, habit.control))
            kept.append(habit)
    return tuple(kept)


def _apart(windows):
    """Windows of which no two meet, the earlier ones kept."""
    kept = []
    for window in sorted(windows, key=lambda window: window.start):
        if not any(window.meets(other) for other in kept):
            kept.append(window)
    return tuple(kept)


def roofs_of(plan: Plan) -> tuple[Roof, ...]:
    """The roof as the survey plans it, and with every other module of the catalogue that its faces can take."""
    job = plan.job
    roofs = [Roof("modules as planned", job)]
    for module in plan.options[0].ground.kit.catalogue.modules:
        changed = _roof_of(plan, module)
        if changed is not None:
            roofs.append(Roof(f"new {module.name}", changed))
    return tuple(roofs)


def _roof_of(plan: Plan, module: Module):
    """A job whose measured faces are laid anew with a module; None where none is, or it would give less."""
    faces, before, after = [], 0.0, 0.0
    for face in plan.faces:
        fate, room = face.plan.fate, room_of(face, module)
        if fate in {"keep", "remove"} or room is None or room.count < 2 or face.plan.module == module.key:
            faces.append(face.plan)
            continue
        new = face_with(plan.job, plan.site, face, module, room.count).plan
        new = new.with_(fate="new", rectangle=face.plan.rectangle, electronics=None, name=f"{face.plan.name}, new")
        before, after = before + face.rated_kw, after + module.power_w * room.count / 1000.0
        faces.append(new)
        if face.plan.is_there:
            faces.append(face.plan.with_(fate="remove"))
    if after <= before * 1.05:
        return None
    return plan.job.with_(faces=tuple(faces), string_plans=())


def stores_of(plan: Plan) -> Iterator[dict]:
    """Fields of `Job.store` of every bank that the catalogue's packs make."""
    packs = plan.options[0].ground.kit.catalogue.packs
    for pack in packs:
        if pack.expansion_of is not None:
            continue
        extra = next((item for item in packs if item.expansion_of == pack.key), None)
        for count in range(pack.count_min, pack.count_max + 1):
            for expansions in range(extra.count_max + 1 if extra else 1):
                yield {"pack": pack.key, "count": count, "expansions": expansions}


def search(plan: Plan, progress: Progress = unheard, most: int = 20_000) -> Found:
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
    habits = habits_of(plan.job)
    designs = _candidates(plan, refused, progress)[: -(-most // len(habits))]
    whole = len(designs) * len(habits)
    plants: list[Plant] = []
    shelf = Shelf()
    with ThreadPoolExecutor(WORKERS) as workers:
        for start in range(0, len(designs), HEAP):
            progress(0.1 + 0.9 * start / len(designs), f"Trying plant {start * len(habits):,} of {whole:,}")
            tried = [
                (roof, design, habit, *tuned)
                for roof, job, design in designs[start : start + HEAP]
                for habit, *tuned in _tuned(plan, job, design, habits)
            ]
            if plan.job.supply.street:
                sums = bus_plants([inputs.tied for *_, inputs in tried], workers, shelf)
            else:
                sums = list(workers.map(lambda item: sum_inputs(item[-1]), tried))
            for number, (item, run) in enumerate(zip(tried, sums, strict=True), start * len(habits)):
                found = _weighed(plan, number, *item[:-1], run)
                if found is not None:
                    plants.append(found)
    over = whole - len(plants)
    if over:
        refused["The main fuse"] = over
    told = sorted(refused.items(), key=lambda entry: -entry[1])
    return Found(tuple(plants[:most]), len(plants) + sum(refused.values()), tuple(told))


def _tuned(plan, job, design, habits):
    """Each habit, the job with it, and what its run reads."""
    inputs = inputs_of(design, job, plan.site, plan.demand)
    for habit in habits:
        store = job.store.model_copy(update={"charge_windows": habit.windows})
        tuned = job.model_copy(update={"store": store, "control": habit.control})
        control = orders_of(design, tuned, plan.site.calendar)
        yield habit, tuned, replace(inputs, control=control)


def _weighed(plan, number, roof, design, habit, job, sums):
    """A simulated design as a plant; None where its import is over the main fuse."""
    if job.supply.street and sums.at_bus("import").max() > job.supply.import_limit_kw + 1e-9:
        return None
    bill_now = plan.options[0].outcome.money.bill
    brief = brief_of(sums, design, job, plan.site, plan.demand, bill_now)
    score = score_of(design, brief, job, bill_now, plan.demand.evening_peak_kw).total
    return Plant(number, design.key, design, roof, habit.name, job, brief, score)


def _candidates(plan, refused, progress):
    """Every design that passes the checks: the roof's name, the job that states it, the design."""
    found = []
    roofs = roofs_of(plan)
    for place, roof in enumerate(roofs):
        progress(0.1 * place / len(roofs), f"Laying out the plants: {roof.name}")
        ground = _ground(plan, roof.job)
        for store in stores_of(plan):
            found += [(roof.name, job, design) for design, job in _designs(ground, roof.job, store, refused)]
    return found


def _ground(plan, job) -> Ground:
    first = plan.options[0].ground
    faces = faces_of(job, plan.site)
    return replace(first, survey=replace(first.survey, job=job, faces=faces))


def _designs(ground, job, store, refused):
    """Designs of one bank: each architecture on each converter that takes it."""
    kit = kit_of(job)
    catalogue = kit.catalogue
    family = kit.pack(store["pack"], "store.pack").family
    boxes = [
        box for box in catalogue.converters if box.battery and family in box.battery.families and not box.plug_in
    ]
    for box in boxes:
        field = "battery_inverter" if box.pv is None else "hybrid"
        most = min(box.units_max, 2) if box.pv is None else 1
        for units in range(1, most + 1):
            stated = {**store, "units": units, field: box.key}
            held = job.model_copy(update={"store": job.store.model_copy(update=stated)})
            bank = bank_of(held, kit)
            here = replace(ground, survey=replace(ground.survey, job=held), bank=bank)
            for make in _architectures(box, ground):
                design = within_connection(make(here), here)
                reasons = design.refused or _hard(design, here)
                if reasons:
                    refused[_short(reasons[0])] = refused.get(_short(reasons[0]), 0) + 1
                else:
                    yield design, held


def _architectures(box, ground):
    if box.pv is None:
        on_ac = ac_addon if ground.job.supply.street else ac_bus
        return (on_ac,) if ground.now else (on_ac, micro_ac)
    if box.charge_controllers:
        return (dc_bus,)
    return (hybrid_swap, hybrid_beside) if ground.now else (hybrid_swap,)


def _hard(design, ground):
    """What stops a design that could be connected."""
    survey = ground.survey
    for box in design.pv_boxes:
        if box.micro or not box.is_new:
            continue
        reasons = array_refusals(ground, box.converter, box.faces, box.bank is not None)
        reasons += hard_refusals(box.stringing, ground.temperatures, survey.site_limit)
        if reasons:
            return reasons
    job = ground.job
    return generator_refusals(design, job) + bus_refusals(design, job) + place_refusals(design, job)


def _short(reason):
    """A reason without its figures, so that like ones are counted together."""
    clause = reason.split(": ", 1)[-1].split(";")[0].split(",")[0]
    words = sub(r"[\d.,]+\s*", "", clause).strip()
    return f"{words[:1].upper()}{words[1:70]}"


def plant_rows(found: Found) -> list[list]:
    """Every plant as a row of a table, with a head."""
    rows: list[list] = [
        [
            "number",
            "option",
            "store",
            "converter",
            "roof",
            "control",
            "usable kWh",
            "outlay",
            "saving a year",
            "npv",
            "self-sufficiency",
            "dark kW",
            "dark hours",
            "counted kW",
            "unserved",
            "score",
        ]
    ]
    for plant in found.plants:
        box, brief = plant.design.store_box, plant.brief
        figures = (
            box.bank.usable_kwh,
            brief.money.outlay,
            brief.money.saving,
            brief.money.npv,
            brief.self_sufficiency,
            brief.dark.power_kw,
            brief.dark.hours,
            plant.design.counted_kw,
            brief.unmet or 0.0,
            plant.score,
        )
        told = [plant.number, plant.key, box.bank.told, box.converter.name, plant.roof, plant.habit]
        rows.append([*told, *(round(figure, 6) for figure in figures)])
    return rows
