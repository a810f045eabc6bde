"""What a design costs, line by line."""

from dataclasses import dataclass

from calm_relay.job.model import Job
from calm_relay.planning.design import Design


@dataclass(frozen=True)
class CostLine:
    """One line of the offer, in the job's currency; a rebate is below 0. `kind` is one of `KINDS`."""

    kind: str
    label: str
    amount: float


KINDS = {
    "box": "Inverters",
    "store": "Battery packs",
    "labour": "Labour",
    "once": "Design, permit, inspection",
    "strings": "Reconnecting strings",
    "removal": "Taking away",
    "backup": "Backed-up sub-board",
    "rebate": "Rebate",
}


def cost_lines(design: Design, job: Job) -> tuple[CostLine, ...]:
    """Boxes, store, labour, what is taken away, and rebates; nothing for leaving things as they are."""
    costs = job.costs
    if not design.new_boxes:
        return ()
    lines, hours = [], 0.0
    for box in design.new_boxes:
        lines.append(CostLine("box", box.converter.name, box.converter.price))
        hours += box.converter.install_hours
        if box.bank:
            pack = box.bank.pack
            lines.append(CostLine("store", f"{box.bank.count} × {pack.name}", box.bank.count * pack.price))
            hours += box.bank.count * pack.install_hours
    lines.append(CostLine("labour", f"Labour, {hours:g} h", hours * costs.labour_per_hour))
    lines.append(CostLine("once", "Design, permit, inspection", costs.once_per_job))
    if design.strings_moved:
        lines.append(
            CostLine(
                "strings",
                f"Reconnecting {design.strings_moved} strings",
                design.strings_moved * costs.restring_per_string,
            )
        )
    if design.removed:
        lines.append(CostLine("removal", "Taking the old inverter away", len(design.removed) * costs.remove_box))
    store = design.store_box
    if store and store.converter.backup and job.weight("ride_through_outage") > 0:
        lines.append(CostLine("backup", "Backed-up sub-board", costs.backup_board))
    if store and costs.rebate_per_kwh:
        rebate = min(costs.rebate_per_kwh * store.bank.nominal_kwh, costs.rebate_max)
        lines.append(CostLine("rebate", "Rebate for the store", -rebate))
    return tuple(lines)
