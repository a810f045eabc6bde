"""What a heat pump or a car that comes later does to a system as it is built: bill, import, and what is passed."""

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from calm_relay.job.demand import Car, HeatPump
from calm_relay.job.model import Job
from calm_relay.physics.plant.island import IslandYear
from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.common.severity import Severity
from calm_relay.planning.plan import Plan, plan
from calm_relay.planning.site.usual_car import usual_car
from calm_relay.planning.verdict.option import Option, RefusedOption

# A share that rounds to nothing is none.
LEAST_SHARE = 0.005


def usual_loads(job: Job) -> tuple[tuple[str, HeatPump | Car], ...]:
    """What usually comes: common practice, no source. A house of 8 kW heat load, and 15,000 km a year.

    A car is there by night, and charged when energy is cheap where the tariff has such hours; off grid it comes by day.
    """
    cheap = job.supply.on_grid and job.tariff.cheapest is not None
    how = {"control": "in cheap hours"} if cheap else {}
    return (
        (
            "A heat pump",
            HeatPump(name="Heat pump, later", heat_kwh_per_day=90.0, water_kwh_per_day=6.0, planned=True),
        ),
        ("An electric car", usual_car(job.supply, name="Car, later", planned=True, **how)),
    )


@dataclass(frozen=True)
class LaterLoad:
    """A load that comes later, on the same system.

    `kwh` is what it takes in a year, `bill` how much more is paid a year, `import_kwh` how much more comes from the
    grid, `peak_kw` the highest import then, `unmet` the share of the demand that goes unserved off grid then (None on
    the grid); `passed` are sentences of what is passed then and was not before.
    """

    what: str
    kwh: float
    bill: float
    import_kwh: float
    peak_kw: float
    unmet: float | None
    passed: tuple[str, ...]

    @property
    def sentence(self) -> str:
        """What comes of it, in words."""
        said = f"{self.what}: {self.kwh:,.0f} kWh a year"
        if self.unmet is not None:
            said += f", {self.unmet:.1%} of all demand would go unserved"
        elif self.kwh > 0.0:
            share = max(1.0 - self.import_kwh / self.kwh, 0.0)
            said += f", {f'{share:.0%}' if share >= LEAST_SHARE else 'none'} of it from array and battery"
        if not self.passed:
            return f"{said}; board, service and backup bear it as they are."
        return f"{said}; then: {' '.join(self.passed)}"


def later_loads_of(
    made: Plan, option: Option | RefusedOption, folder: Path, progress: Progress = unheard
) -> tuple[LaterLoad, ...]:
    """Each usual load that a job has not, on an option as it is built.

    Parameters
    ----------
    made : Plan
        Of the job, with the demand as it was measured where the job has it.
    option : Option or RefusedOption
        What was built; nothing of one that cannot be.
    folder : Path
        Where the job's relative paths start.
    progress : Progress
        Told before each load; it may call the study off.
    """
    if isinstance(option, RefusedOption):
        return ()
    return tuple(_each(made, option, folder, progress))


def _each(made: Plan, option: Option, folder: Path, progress: Progress) -> Iterator[LaterLoad]:
    before = {finding.sentence for finding in option.findings if finding.severity is not Severity.OK}
    worst: dict[str, Severity] = {}
    for finding in option.findings:
        worst[finding.check] = min(worst.get(finding.check, Severity.OK), finding.severity)
    usual = usual_loads(made.job)
    for number, (what, load) in enumerate(usual):
        progress(number / len(usual), f"Trying {what.lower()}")
        job = _with_load(made.job, load)
        if job is None:
            continue
        there = plan(job, made.equipment.library, folder)
        then = there.option(option.key)
        if isinstance(then, RefusedOption):
            reasons = "; ".join(then.refusal.reasons)
            yield LaterLoad(what, 0.0, 0.0, 0.0, 0.0, None, (f"It cannot be built any more: {reasons}.",))
            continue
        now, later = option.outcome.figures, then.outcome.figures
        passed = tuple(
            finding.sentence
            for finding in then.findings
            if finding.severity is not Severity.OK
            and finding.sentence not in before
            and finding.severity < worst.get(finding.check, Severity.OK)
        )
        yield LaterLoad(
            what,
            max(later.home_kwh - now.home_kwh, there.demand.yearly_kwh - made.demand.yearly_kwh),
            then.outcome.money.bill - option.outcome.money.bill,
            later.import_kwh - now.import_kwh,
            then.outcome.year.highest_import_kw,
            None if made.job.supply.on_grid else _unserved(then.outcome.island_year),
            passed,
        )


def _unserved(year: IslandYear) -> float:
    """Share of all that is asked that goes unserved, with what loads that obey go short of."""
    short = year.loads.kwh("short") if year.loads.loads else 0.0
    asked = float(year.outage.asked_kw.sum() * year.step_h) + short
    return (year.unmet_kwh + short) / asked if asked > 0.0 else 0.0


def _with_load(job: Job, load: HeatPump | Car) -> Job | None:
    """The job with a load more; None where it has one of its kind already."""
    field = "heat_pumps" if isinstance(load, HeatPump) else "cars"
    if getattr(job.demand, field):
        return None
    return job.with_(demand=job.demand.with_(**{field: (load,)}))
