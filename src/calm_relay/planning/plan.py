"""The plan: a pure function of the job and of the library it may draw on, cached by what each step reads."""

from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass, replace
from os import cpu_count
from pathlib import Path
from typing import Any

import numpy as np

from calm_relay.exchange.array_cache import many_jobs
from calm_relay.job.library import Library
from calm_relay.job.model import Job
from calm_relay.physics.plant.inputs import bus_inputs
from calm_relay.physics.plant.year import PlantYear
from calm_relay.planning.architecture.design import Design, DesignContext, Refusal, survey_of
from calm_relay.planning.architecture.existing_system import existing_converters
from calm_relay.planning.architecture.options import designs
from calm_relay.planning.architecture.ways import as_is
from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.common.severity import Severity
from calm_relay.planning.equipment.bank import Bank, bank_of
from calm_relay.planning.equipment.equipment import Equipment, equipment_of
from calm_relay.planning.equipment.rules import Rules, rules_of
from calm_relay.planning.findings import Drawn, Finding, stopped_as_drawn
from calm_relay.planning.findings.base import stops
from calm_relay.planning.operation.finance import bill_kinds
from calm_relay.planning.operation.lasting import lasting_starts
from calm_relay.planning.operation.outcome import aged_kinds, battery_left, lost_of, outcome_of
from calm_relay.planning.operation.simulate import inputs_of, production_of, year_of
from calm_relay.planning.site.array import Face, design_temperatures, faces_of
from calm_relay.planning.site.demand import DemandYear, Today, demand_year
from calm_relay.planning.site.site_year import SiteYear, site_year
from calm_relay.planning.verdict.choice import Choice, best_of, choose
from calm_relay.planning.verdict.option import Option, RefusedOption

WORKERS = min(2, cpu_count() or 1)


@dataclass(frozen=True, eq=False)
class Groundwork:
    """What all options of a job stand on."""

    job: Job
    equipment: Equipment
    rules: Rules
    site: SiteYear
    faces: tuple[Face, ...]
    demand: DemandYear
    bank: Bank

    @property
    def assumed_note(self) -> str:
        """What stands beside every yearly figure; empty when the weather is measured."""
        return "assumed climate" if self.site.assumed else ""

    @property
    def weather_said(self) -> str:
        """Where the weather comes from, and that it is assumed where its name does not say so."""
        source, note = self.site.source, self.assumed_note
        return f"{source} ({note})" if note not in source else source


@dataclass(frozen=True, eq=False)
class Plan(Groundwork):
    """Everything the benches draw."""

    options: tuple[Option | RefusedOption, ...]
    choice: Choice

    @property
    def live(self) -> tuple[Option, ...]:
        """The options that can be built at all."""
        return tuple(_live(self.options))

    @property
    def as_is(self) -> Option:
        """What stands there today."""
        first = self.options[0]
        assert isinstance(first, Option), "what is there can be built"
        return first

    def option(self, key: str) -> Option | RefusedOption:
        """An option by its key."""
        return next(option for option in self.options if option.key == key)


@dataclass(frozen=True, eq=False)
class Answer(Groundwork):
    """The option that a job comes to, and nothing of what was weighed against it; None where `problem` says why."""

    option: Option | None
    problem: str


def plan(job: Job, library: Library, folder: Path | None = None, progress: Progress = unheard) -> Plan:
    """Plans a job.

    Parameters
    ----------
    job : Job
        The job.
    library : Library
        Equipment, climates and rules that the job may draw on.
    folder : Path, optional
        Where the job's relative paths start; the current folder when left out.
    progress : Progress
        Told before each stage; it may call the work off.

    Raises
    ------
    PlanError
        Names the field of the job that stands in the way.
    InputError
        Names the file, and the line in it, that cannot be used.
    """
    ground, context, made = _laid_out(job, library, folder, progress)
    options = []
    for option in _options(ground, context, made, progress):
        if isinstance(option, Option):
            # Made here, while the kernel runs the next one's year, and not when the window first asks.
            option.findings  # noqa: B018
        options.append(option)
    choice = choose(_live(options), job, ground.demand, ground.rules.words)
    return Plan(**vars(ground), options=tuple(options), choice=choice)


def answer(job: Job, library: Library, folder: Path | None = None, built: str | None = None) -> Answer:
    """The option that a plan of the job would choose, or the one that was built, without all that the plan says of it.

    Parameters
    ----------
    job : Job
        The job.
    library : Library
        Equipment, climates and rules that the job may draw on.
    folder : Path, optional
        Where the job's relative paths start; the current folder when left out.
    built : str, optional
        Key of the option that was built: no other is then looked at.

    Raises
    ------
    PlanError
        Names the field of the job that stands in the way.
    InputError
        Names the file, and the line in it, that cannot be used.
    """
    ground, context, made = _laid_out(job, library, folder, unheard)
    first, *rest = made
    if built is not None:
        looked_at = [design for design in rest if design.architecture.key == built]
        options = tuple(_options(ground, context, (first, *looked_at), unheard))
        option = next((option for option in _live(options) if option.key == built), None)
    else:
        sound = [
            design
            for design in rest
            if isinstance(design, Design) and not stopped_as_drawn(Drawn(design, context, ground.site))
        ]
        options = tuple(_options(ground, context, (first, *sound), unheard))
        option = best_of(_live(options), job, ground.demand)
        if option is None:
            options = tuple(_options(ground, context, made, unheard))
    found = "" if option is not None else _why_none(options, built)
    return Answer(**vars(ground), option=option, problem=found)


def _live(options: Iterable[Option | RefusedOption]) -> list[Option]:
    return [option for option in options if isinstance(option, Option)]


def _why_none(options: Iterable[Option | RefusedOption], built: str | None) -> str:
    """Why a job has no answer: what stops most of its options, or what stands against the one that was built."""
    stopping = Counter(
        finding.sentence
        for option in options
        if (isinstance(option, Option) if built is None else option.key == built)
        for finding in option.findings
        if finding.severity is Severity.STOP
    )
    said = stopping.most_common(1)[0][0] if stopping else ""
    if built is not None:
        return f"what was built ({built}) cannot be planned any more" + (f": {said}" if said else "")
    return f"no option can be built: {said}" if said else "no option can be built"


def _laid_out(
    job: Job, library: Library, folder: Path | None, progress: Progress
) -> tuple[Groundwork, DesignContext, tuple[Design | Refusal, ...]]:
    """What a job's options stand on, and what each architecture makes of it; the first is what stands there today."""
    folder = Path(folder) if folder is not None else Path.cwd()
    progress(0.0, "Reading the weather")
    rules = rules_of(job, library)
    site = site_year(job.site, library, folder)
    progress(0.3, "Laying out the roof")
    equipment = equipment_of(job, library)
    faces = faces_of(job, equipment, site)
    wires = library.wires_for(job)
    survey = survey_of(job, equipment, rules, faces, design_temperatures(job, site, faces), wires)
    now = existing_converters(survey)
    progress(0.5, "Reading the home's year")
    today = Design(as_is.ARCHITECTURE, "As it is", "none", now)
    demand = demand_year(job, folder, site, _as_it_stands(today, job, site))
    bank = bank_of(job, equipment)
    context = DesignContext(survey, demand, bank, now)
    ground = Groundwork(job, equipment, rules, site, faces, demand, bank)
    return ground, context, tuple(designs(context))


def _as_it_stands(today: Design, job: Job, site: SiteYear) -> Today:
    """What stands there, for a demand that was counted beside it."""

    def exchange(then: Job, demand: DemandYear) -> tuple[np.ndarray, np.ndarray]:
        year = bus_inputs(inputs_of(today, then, site, demand))
        return year.at_bus("import"), year.at_bus("export")

    return Today(
        lambda: production_of(today, job, site),
        exchange,
        lambda then, demand: inputs_of(today, then, site, demand).digest,
    )


def _options(
    ground: Groundwork, context: DesignContext, made: Sequence[Design | Refusal], progress: Progress
) -> Iterator[Option | RefusedOption]:
    """Each design with what it comes to, each refusal with its findings, one after the other."""
    job, site, demand = ground.job, ground.site, ground.demand
    live = [design for design in made if isinstance(design, Design)]
    billed: tuple[dict[str, float], dict[str, float]] | None = None
    now: dict[str, float] | None = None
    ageing = max((face.module.ageing_per_year for face in ground.faces), default=0.0)
    with _side_by_side() as run_all:
        lived = iter(run_all(lambda design: _lived(design, job, site, demand, ageing), live))
        for number, design in enumerate(made):
            progress(0.6 + 0.4 * number / len(made), f"Simulating: {design.title}")
            if isinstance(design, Refusal):
                refused = replace(design, reasons=tuple(map(ground.rules.words, design.reasons)))
                yield RefusedOption(refused, _refusals(refused), context)
                continue
            year, ridden, left, kinds, old = next(lived)
            billed = billed or (kinds, old)
            lost = lost_of(kinds, old, *billed)
            done = outcome_of(year, design, job, site, demand, now, lost, ridden, left, kinds)
            now = now or done.money.kinds
            yield Option(design, replace(done, money=replace(done.money, last_kinds=old)), context, site)


@contextmanager
def _side_by_side() -> Iterator[Callable[..., Iterable[Any]]]:
    """`map` in threads, whose kernel leaves the interpreter's lock to the thread that reads the years.

    Where many jobs are planned every core has a process of its own, and threads would only be in one another's way.
    """
    if many_jobs():
        yield map
        return
    with ThreadPoolExecutor(WORKERS) as workers:
        yield workers.map


def _lived(
    design: Design, job: Job, site: SiteYear, demand: DemandYear, ageing: float
) -> tuple[PlantYear, float, np.ndarray, dict[str, float], dict[str, float]]:
    """A design's year, what share of outages it rides through, what is left of its battery, and two years' bills.

    The bills are those of the first and of the last year, by what rises as one.
    """
    inputs = inputs_of(design, job, site, demand)
    year = year_of(inputs)
    outages = lasting_starts(design, job, demand, site, inputs)
    left = battery_left(design, job, site, year)
    old = aged_kinds(inputs, left, job, site, ageing)
    return year, 0.0 if outages is None else outages.share(year), left, bill_kinds(year, job, site), old


def _refusals(refusal: Refusal) -> tuple[Finding, ...]:
    return tuple(
        stops("cannot be built", "Inverter", "battery", f"{reason}.", rule="datasheets")
        for reason in refusal.reasons
    )
