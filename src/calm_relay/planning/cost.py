"""What a design costs, line by line."""

from dataclasses import dataclass

from calm_relay.job.model import Job
from calm_relay.planning.design import Design


@dataclass(frozen=True)
class CostLine:
    """One line of the offer, in the job's currency; a rebate is below 0."""

    label: str
    amount: float


def cost_lines(design: Design, job: Job) -> tuple[CostLine, ...]:
    """Boxes, store, labour, what is taken away, and rebates; nothing for leaving things as they are."""
    costs = job.costs
    if not design.new_boxes:
        return ()
    lines, hours = [], 0.0
    for box in design.new_boxes:
        lines.append(CostLine(box.converter.name, box.converter.price))
        hours += box.converter.install_hours
        if box.bank:
            pack = box.bank.pack
            lines.append(CostLine(f"{box.bank.count} × {pack.name}", box.bank.count * pack.price))
            hours += box.bank.count * pack.install_hours
    lines.append(CostLine(f"Labour, {hours:g} h", hours * costs.labour_per_hour))
    lines.append(CostLine("Design, permit, inspection", costs.once_per_job))
    if design.strings_moved:
        lines.append(
            CostLine(
                f"Reconnecting {design.strings_moved} strings",
                design.strings_moved * costs.restring_per_string,
            )
        )
    if design.removed:
        lines.append(CostLine("Taking the old inverter away", len(design.removed) * costs.remove_box))
    store = design.store_box
    if store and store.converter.backup and job.weight("ride_through_outage") > 0:
        lines.append(CostLine("Backed-up sub-board", costs.backup_board))
    if store and costs.rebate_per_kwh:
        rebate = min(costs.rebate_per_kwh * store.bank.nominal_kwh, costs.rebate_max)
        lines.append(CostLine("Rebate for the store", -rebate))
    return tuple(lines)
