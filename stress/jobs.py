"""Random jobs: each is planned, or refused in one clear error; nothing is NaN, every balance closes, mends mend."""

import time

import numpy as np

from calm_relay.exchange.errors import InputError
from calm_relay.exchange.own_equipment import library
from calm_relay.exchange.plan_document import plan_text
from calm_relay.exchange.shipped import demo_job
from calm_relay.job.model import Job
from calm_relay.physics.plant.year import PlantYear
from calm_relay.planning.common.errors import PlanError
from calm_relay.planning.findings import Severity, Subject, is_stopped
from calm_relay.planning.plan import Plan, plan
from calm_relay.planning.verdict.option import RefusedOption
from calm_relay.planning.views.document import document_of
from calm_relay.planning.views.energy_path import line_of
from stress.driver import where
from stress.random_jobs import random_job
from stress.tally import Tally, limit_s

SLOW_S = 5.0
CLOSES_KWH = 1e-6


def faults_of(job: Job, most_s: float = SLOW_S) -> list[str]:
    """What is wrong with how a job is planned; nothing where it is planned well or refused in words."""
    begun, worked = time.monotonic(), time.process_time()
    try:
        made = plan(job, library())
    except (PlanError, InputError) as error:
        return [] if len(str(error)) > 10 else [f"a refusal without words: {error!r}"]
    except Exception as error:
        return [f"plan: {type(error).__name__}: {error}\n{where(error)}"]
    # What other work on the machine takes is not the plan's.
    taken = min(time.monotonic() - begun, time.process_time() - worked)
    found = [f"slow: {taken:.1f} s"] if taken > most_s else []
    try:
        found += _figures(made)
    except Exception as error:
        found.append(f"views: {type(error).__name__}: {error}\n{where(error)}")
    return [*found, *_mends(made)]


def _figures(made: Plan) -> list[str]:
    found = []
    text = plan_text(document_of(made))
    if "NaN" in text or "Infinity" in text:
        found.append("NaN or Infinity in the plan's document")
    for option in made.options:
        line_of(made, option)
        if isinstance(option, RefusedOption):
            continue
        year = option.outcome.year
        # A balance may be open in every step and yet close over the year.
        for span, residual in (("the year", year.year_residual_kwh()), ("a step", year.largest_residual_kwh)):
            if not abs(residual) < CLOSES_KWH:
                found.append(f"{option.key}: a balance of {span} is open by {residual:g} kWh")
        found += [f"{option.key}: {said}" for said in _impossible(year)]
        alone = is_stopped(Subject(option.design, option.context, option.site, option.outcome))
        if alone != any(item.severity is Severity.STOP for item in option.findings):
            found.append(f"{option.key}: asked alone it is {'stopped' if alone else 'not stopped'}")
    return found


def _impossible(year: PlantYear) -> list[str]:
    """What no plant can do: a battery fuller than full or emptier than empty, a store likewise, power below none."""
    usable = np.array([part.battery.usable_kwh if part.battery else 0.0 for part in year.plant])
    found = []
    for number, kwh in enumerate(usable):
        stored = year.of("stored", number)
        if stored.size and not (stored.min() > -CLOSES_KWH and stored.max() < kwh + CLOSES_KWH):
            found.append(f"battery {number} holds {stored.min():g} to {stored.max():g} of {kwh:g} kWh")
    for flow in ("clipped", "curtailed", "charge", "discharge", "inverter", "rectifier", "standby"):
        least = min((year.of(flow, number).min() for number in range(usable.size)), default=0.0)
        if not least > -CLOSES_KWH:
            found.append(f"{flow} falls to {least:g} kW")
    for load, kw, stored in zip(year.loads.loads, year.loads.kw, year.loads.stored, strict=True):
        if not (stored.min() > -CLOSES_KWH and stored.max() < load.cap_kwh + CLOSES_KWH):
            found.append(f"a load's store holds {stored.min():g} to {stored.max():g} of {load.cap_kwh:g} kWh")
        if not (kw.max() < load.max_kw + CLOSES_KWH and kw.min() > -load.gives_kw - CLOSES_KWH):
            found.append(f"a load takes {kw.min():g} to {kw.max():g} of {load.max_kw:g} kW")
    return found


def _mends(made: Plan) -> list[str]:
    found = []
    for option in made.options:
        for finding in option.findings:
            for mend in finding.mends:
                try:
                    changed = mend.apply(made.job) != made.job
                except Exception as error:
                    found.append(f"mend {finding.check!r} {mend.label!r}: {type(error).__name__}: {error}")
                else:
                    if not changed:
                        found.append(f"mend {finding.check!r} {mend.label!r} changes nothing")
    return found


def run(minutes: float, most: int | None = None, first: int = 0) -> tuple[str, int]:
    """Tries jobs until the time is over; a line of figures, and the number of faults."""
    # What is compiled once is not one job's.
    for demo in ("two-homes", "hut"):
        faults_of(demo_job(demo))
    end = time.monotonic() + minutes * 60.0
    tally, slowest = Tally("job", lambda fault: fault.splitlines()[0][:70]), 0.0
    while time.monotonic() < end and (most is None or tally.count < most):
        seed, begun = first + tally.count, time.monotonic()
        found = faults_of(random_job(seed), limit_s(SLOW_S, most))
        slowest = max(slowest, time.monotonic() - begun)
        tally.add(seed, found)
    figures = f"{tally.count:,} random jobs, {tally.faults} with faults, slowest {slowest:.1f} s with its document"
    return f"jobs: {figures}", tally.faults
