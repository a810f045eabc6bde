"""What is studied beside the plan: the bound, the battery's years, and what would change the answer."""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.plan import Plan
from calm_relay.planning.studies.battery_ageing import BatteryAgeing, battery_ageing_of
from calm_relay.planning.studies.foresight import ForesightGap, foresight_gap_of
from calm_relay.planning.studies.survival import Survival, survival_of
from calm_relay.planning.studies.tipping import Tips, tips_of


@dataclass(frozen=True, eq=False)
class Studies:
    """By option: the gap to perfect foresight, ageing, outages ridden through; and the tipping points."""

    foresight: dict[str, ForesightGap | None]
    ageing: dict[str, BatteryAgeing | None]
    survival: dict[str, Survival | None]
    tips: Tips


def studies_of(plan: Plan, progress: Progress = unheard) -> Studies:
    """Every study of a plan, for the document."""
    stored = [option for option in plan.live if option.design.battery_converter is not None]
    ageing, survival = {}, {}
    # The solver leaves the interpreter's lock to the other studies.
    with ThreadPoolExecutor(2) as workers:
        solved = {option.key: workers.submit(foresight_gap_of, plan, option) for option in stored}
        for number, option in enumerate(stored):
            progress(number / (len(stored) + 1), f"Studying: {option.title}")
            ageing[option.key] = battery_ageing_of(plan, option)
            survival[option.key] = survival_of(plan, option)
        progress(len(stored) / (len(stored) + 1), "What would change the answer")
        tips = tips_of(plan)
        return Studies({key: future.result() for key, future in solved.items()}, ageing, survival, tips)
