"""What a size of battery is judged by: money where power is paid for, elsewhere the energy that it serves."""

from calm_relay.job.model import Job
from calm_relay.physics.plant.year import PlantBus
from calm_relay.planning.operation.simulate import bill_of
from calm_relay.planning.plan import Plan
from calm_relay.planning.verdict.option import Option


def worth_words(job: Job) -> str:
    """What `worth_of` counts, with its unit."""
    return f"{job.tariff.currency} saved a year" if job.pays_for_power else "kWh served a year"


def worth_of(year: PlantBus, plan: Plan, option: Option) -> float:
    """What a year brings on an option of another size: off today's bill, or served to the house [kWh]."""
    if not plan.job.pays_for_power:
        return float(year.bus_kwh("home"))
    bill_now = option.outcome.money.bill + option.outcome.money.saving
    return bill_now - bill_of(year, plan.job, plan.site)
