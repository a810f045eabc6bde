"""The inverter that the planner takes from the catalogue where the job does not state one."""

from collections.abc import Callable
from dataclasses import dataclass

from calm_relay.job.equipment import Inverter, by_price
from calm_relay.planning.architecture.design import DesignContext


@dataclass(frozen=True)
class Search:
    """What is looked for in the catalogue: the converter stated, which suit, what speaks against each.

    `left_out` is how many modules find no input on one, `excess_kw` by how much a phase, or the
    connection, would have more than it may.
    """

    stated: str | None
    field: str
    suits: Callable[[Inverter], bool]
    refusals: Callable[[Inverter], list[str]]
    all_refusals: Callable[[Inverter], list[str]]
    power_kw: Callable[[Inverter], float]
    wanted_kw: float
    excess_kw: Callable[[Inverter], float]
    left_out: Callable[[Inverter], int] = lambda inverter: 0


def pick(context: DesignContext, search: Search) -> tuple[Inverter | None, tuple[str, ...]]:
    """The converter the job states, else the cheapest with the power wanted, else the strongest.

    A stated converter is refused only for what cannot be connected at all; the rest becomes findings. One that loads a
    phase or the connection beyond what they may have, or leaves modules without an input, is taken only where all
    others do so too.
    """
    if search.stated is not None:
        inverter = context.equipment.inverter(search.stated, search.field)
        reasons = search.refusals(inverter)
        return (None, tuple(reasons)) if reasons else (inverter, ())
    candidates = [item for item in context.equipment.on_offer.inverters if search.suits(item)]
    # What is cheap to ask goes first: only where nothing speaks against a unit are strings laid on it.
    verdicts = {item.key: search.refusals(item) for item in candidates}
    verdicts |= {item.key: search.all_refusals(item) for item in candidates if not verdicts[item.key]}
    fitting = [item for item in candidates if not verdicts[item.key]]
    if not fitting:
        pack = context.bank.pack
        with_port = [item for item in candidates if item.battery]
        if with_port and not any(pack.family in item.port.families for item in with_port):
            return None, (f"None of the {len(candidates)} inverters of this kind speaks to {pack.name}",)
        # The nearest miss tells most: the candidate with the fewest reasons against it, of equal ones the strongest.
        nearest = min(
            candidates,
            key=lambda item: (bool(search.refusals(item)), len(verdicts[item.key]), -search.power_kw(item)),
            default=None,
        )
        return None, tuple(verdicts[nearest.key]) if nearest else ("the catalogue holds no such inverter",)
    fitting = [item for item in fitting if not search.excess_kw(item)] or fitting
    left = {item.key: search.left_out(item) for item in fitting}
    fitting = [item for item in fitting if left[item.key] == min(left.values())]
    enough = [item for item in fitting if search.power_kw(item) >= search.wanted_kw - 1e-9]
    if enough:
        return min(enough, key=by_price), ()
    return max(fitting, key=lambda item: (round(search.power_kw(item), 6), -item.price)), ()
