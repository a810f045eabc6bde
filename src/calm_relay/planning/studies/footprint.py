"""The same footprint with better modules: what replacing those on a face would give."""

from dataclasses import dataclass

from calm_relay.job.equipment import Module
from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.plan import Plan
from calm_relay.planning.site.array import face_with
from calm_relay.planning.site.roof_room import most_on, room_of
from calm_relay.planning.verdict.option import Option


@dataclass(frozen=True)
class Swap:
    """One module on one face: how many fit, their power [kWp] and year [kWh], and what it adds to today.

    Its price is that of the modules and of laying them; None where the modules have none.
    """

    face: str
    module: Module
    count: int
    kwp: float
    kwh: float
    more_kwp: float
    more_kwh: float
    price: float | None


def footprint_swaps(plan: Plan, option: Option, progress: Progress = unheard) -> tuple[Swap, ...]:
    """Every module of the catalogue on every measured face, the largest gain first.

    On a face that was not measured modules take the area of those that lie there.
    """
    result = []
    modules = option.context.equipment.on_offer.modules
    for number, face in enumerate(plan.faces):
        for module in modules:
            progress(number / len(plan.faces), "Laying other modules")
            if module == face.module:
                continue
            room = room_of(face, module)
            if room is not None:
                count = most_on(room)
            else:
                area = face.plan.count * face.module.length_mm * face.module.width_mm
                count = int(area / (module.length_mm * module.width_mm) + 1e-9)
            if count < 1:
                continue
            made = face_with(plan.job, plan.site, face, module, count)
            result.append(
                Swap(
                    face.plan.name,
                    module,
                    count,
                    made.rated_kw,
                    made.yearly_kwh,
                    made.rated_kw - face.rated_kw,
                    made.yearly_kwh - face.yearly_kwh,
                    count * (module.price + plan.job.costs.module_labour) if module.price > 0.0 else None,
                )
            )
    return tuple(sorted(result, key=lambda swap: -swap.more_kwh))
