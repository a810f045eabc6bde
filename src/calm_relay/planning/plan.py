"""The plan: a pure function of the job and of the library it may draw on, cached by what each step reads."""

from collections.abc import Callable, Iterable, Iterator
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
from calm_relay.physics.plant.year import PlantYear
from calm_relay.planning.architecture.design import Design, DesignContext, Refusal, survey_of
from calm_relay.planning.architecture.existing_system import existing_converters
from calm_relay.planning.architecture.options import designs
from calm_relay.planning.architecture.ways import as_is
from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.equipment.bank import Bank, bank_of
from calm_relay.planning.equipment.equipment import Equipment, equipment_of
from calm_relay.planning.equipment.rules import Rules, rules_of
from calm_relay.planning.findings import Finding, Subject, findings_for
from calm_relay.planning.findings.base import stops
from calm_relay.planning.operation.finance import bill_kinds
from calm_relay.planning.operation.lasting import lasting_starts
from calm_relay.planning.operation.outcome import aged_kinds, battery_left, lost_of, outcome_of
from calm_relay.planning.operation.simulate import inputs_of, production_of, year_of
from calm_relay.planning.site.array import Face, design_temperatures, faces_of
from calm_relay.planning.site.demand import DemandYear, demand_year
from calm_relay.planning.site.site_year import SiteYear, site_year
from calm_relay.planning.verdict.choice import Choice, choose
from calm_relay.planning.verdict.option import Option, RefusedOption

WORKERS = min(2, cpu_count() or 1)


@dataclass(frozen=True, eq=False)
class Plan:
    """Everything the benches draw."""

    job: Job
    equipment: Equipment
    rules: Rules
    site: SiteYear
    faces: tuple[Face, ...]
    demand: DemandYear
    bank: Bank
    options: tuple[Option | RefusedOption, ...]
    choice: Choice

    @property
    def assumed_note(self) -> str:
        """What stands beside every yearly figure; empty when the weather is measured."""
        return "assumed climate" if self.site.assumed else ""

    @property
    def live(self) -> tuple[Option, ...]:
        """The options that can be built at all."""
        return tuple(option for option in self.options if isinstance(option, Option))

    @property
    def as_is(self) -> Option:
        """What stands there today."""
        first = self.options[0]
        assert isinstance(first, Option), "what is there can be built"
        return first

    def option(self, key: str) -> Option | RefusedOption:
        """An option by its key."""
        return next(option for option in self.options if option.key == key)


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
    demand = demand_year(job, folder, site, lambda: production_of(today, job, site))
    bank = bank_of(job, equipment)
    context = DesignContext(survey, demand, bank, now)
    made = designs(context)
    live = [design for design in made if isinstance(design, Design)]
    options: list[Option | RefusedOption] = []
    billed: tuple[dict[str, float], dict[str, float]] | None = None
    ageing = max((face.module.ageing_per_year for face in faces), default=0.0)
    with _side_by_side() as run_all:
        lived = iter(run_all(lambda design: _lived(design, job, site, demand, ageing), live))
        for number, design in enumerate(made):
            progress(0.6 + 0.4 * number / len(made), f"Simulating: {design.title}")
            if isinstance(design, Refusal):
                refused = replace(design, reasons=tuple(map(rules.words, design.reasons)))
                options.append(RefusedOption(refused, _refusals(refused), context))
                continue
            year, ridden, left, old = next(lived)
            kinds = bill_kinds(year, job, site)
            billed = billed or (kinds, old)
            lost = lost_of(kinds, old, *billed)
            done = outcome_of(year, design, job, site, demand, billed[0], lost, ridden, left)
            done = replace(done, money=replace(done.money, last_kinds=old))
            result = findings_for(Subject(design, done, context, site))
            options.append(Option(design, done, result, context))
    choice = choose([option for option in options if isinstance(option, Option)], job, demand, rules.words)
    return Plan(job, equipment, rules, site, faces, demand, bank, tuple(options), choice)


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
) -> tuple[PlantYear, float, np.ndarray, dict[str, float]]:
    """A design's year, the share of outages it rides through, what is left of its battery, and its last year's bill."""
    inputs = inputs_of(design, job, site, demand)
    year = year_of(inputs)
    outages = lasting_starts(design, job, demand, site, inputs)
    left = battery_left(design, job, site, year)
    old = aged_kinds(inputs, left, job, site, ageing)
    return year, 0.0 if outages is None else outages.share(year), left, old


def _refusals(refusal: Refusal) -> tuple[Finding, ...]:
    return tuple(
        stops("cannot be built", "Inverter", "battery", f"{reason}.", rule="datasheets")
        for reason in refusal.reasons
    )
