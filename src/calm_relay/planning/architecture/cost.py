"""What a design costs, line by line."""

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from calm_relay.job.equipment import Module, Optimiser
from calm_relay.job.existing_supply import ExistingTransformers
from calm_relay.job.model import Job
from calm_relay.job.survey import Surveyed
from calm_relay.job.tariff import Costs, Incentive
from calm_relay.planning.architecture.connections import (
    backed_up_circuits,
    backs_up_whole_house,
    service_fates,
    units_moved,
)
from calm_relay.planning.architecture.design import Converter, Design
from calm_relay.planning.common.joined import counted
from calm_relay.planning.strings.stringing import fusing_of


@dataclass(frozen=True)
class CostLine:
    """One line of the offer, in the job's currency; a rebate is below 0. `kind` is one of `KINDS`."""

    kind: str
    label: str
    amount: float


KINDS = {
    "modules": "Modules",
    "unit": "Inverters",
    "battery": "Battery packs",
    "labour": "Labour",
    "once": "Design, permit, inspection",
    "site": "Scaffold and cable",
    "strings": "Reconnecting strings",
    "fuses": "String fuses",
    "shutdown": "Rapid shutdown",
    "removal": "Taking away",
    "backup": "Backed-up sub-board",
    "margin": "Margin",
    "rebate": "Rebate and incentives",
}


def _module_lines(design: Design, costs: Costs) -> list[CostLine]:
    """New modules with what lies under them, and laying them."""
    counts: dict[Module | Optimiser, int] = {}
    extras: dict[Module | Optimiser, int] = {}
    for converter in design.pv_converters:
        for run in converter.stringing.runs:
            if run.face.plan.fate == "new":
                counts[run.module] = counts.get(run.module, 0) + run.modules
                if run.optimiser:
                    extras[run.optimiser] = extras.get(run.optimiser, 0) + run.modules
    lines = [CostLine("modules", f"{n} × {item.name}", n * item.price) for item, n in (counts | extras).items()]
    if counts:
        laid = sum(counts.values())
        lines.append(CostLine("modules", f"Laying {counted(laid, 'module')}", laid * costs.module_labour))
    return lines


def _fuses(design: Design, job: Job) -> int:
    """Fuses that the works add: those of strings that are connected anew or new."""
    if not design.strings_moved and not any(converter.is_new for converter in design.pv_converters):
        return 0
    fusings = [
        (item, fusing_of(item))
        for converter in design.pv_converters
        if not converter.micro
        for item in converter.stringing.inputs
    ]
    return sum(item.strings for item, fusing in fusings if fusing and fusing.needed(job.fuse_school))


def _backup_lines(design: Design, job: Job) -> list[CostLine]:
    """What feeding circuits in an outage takes: a sub-board with its circuits, or the house's changeover; relays.

    Off grid nothing is changed over; what is shed by charge hangs on a relay there too.
    """
    costs, board = job.costs, job.backup_board
    circuits = board.circuits if board else ()
    lines, on_backup = [], backed_up_circuits(design, job)
    if job.supply.on_grid and job.weight("ride_through_outage") > 0:
        units = len(units_moved(design, job))
        if len(on_backup) == len(circuits):
            lines.append(CostLine("backup", "Changeover of the whole house", costs.whole_changeover))
            if units:
                side = "ahead of" if backs_up_whole_house(design, job) else "behind"
                label = f"Moving {counted(units, 'circuit')} {side} it"
                lines.append(CostLine("backup", label, units * costs.backup_circuit))
        elif on_backup:
            lines.append(CostLine("backup", "Backed-up sub-board", costs.backup_board))
            count = len(on_backup) + units
            lines.append(
                CostLine("backup", f"Moving {counted(count, 'circuit')} to it", count * costs.backup_circuit)
            )
    relays = sum(circuit.role == "shed" for circuit in on_backup)
    if relays and (job.weight("ride_through_outage") > 0 or not job.supply.on_grid):
        lines.append(CostLine("backup", counted(relays, "shedding relay"), relays * costs.shed_relay))
    return lines


def cost_lines(design: Design, job: Job) -> tuple[CostLine, ...]:
    """Units, battery, labour, what is taken away, and rebates; nothing for leaving things as they are."""
    costs = job.costs
    if not design.new_converters:
        return ()
    lines, hours = _module_lines(design, costs), 0.0
    for converter in design.new_converters:
        if converter.is_new:
            lines.append(CostLine("unit", converter.inverter.name, converter.inverter.price))
            hours += converter.inverter.install_hours
        bank = converter.bought_packs
        if bank:
            lines.append(CostLine("battery", bank.summary, bank.price))
            hours += bank.install_hours
    lines.append(CostLine("labour", f"Labour, {hours:g} h", hours * costs.labour_per_hour))
    lines.append(CostLine("once", "Design, permit, inspection", costs.once_per_job))
    if design.strings_moved:
        lines.append(
            CostLine(
                "strings",
                f"Reconnecting {counted(design.strings_moved, 'string')}",
                design.strings_moved * costs.restring_per_string,
            )
        )
    fuses = _fuses(design, job)
    if fuses:
        lines.append(CostLine("fuses", counted(fuses, "string fuse"), fuses * costs.fuse))
    bare = design.shutdown.bare if design.shutdown else 0
    if bare and (costs.shutdown_device or costs.shutdown_switch):
        priced = [counted(bare, "shutdown device")] if costs.shutdown_device else []
        priced += ["switch"] if costs.shutdown_switch else []
        amount = bare * costs.shutdown_device + costs.shutdown_switch
        lines.append(CostLine("shutdown", " and ".join(priced), amount))
    lines += _existing_lines(design, job)
    lines += _service_lines(design, job)
    lines += _site_lines(design, job)
    battery = design.battery_converter
    if battery and battery.is_new and battery.inverter.backup:
        lines += _backup_lines(design, job)
    if costs.margin:
        lines.append(
            CostLine("margin", f"Margin, {costs.margin:.0%}", costs.margin * sum(line.amount for line in lines))
        )
    lines += [line for line, by in _incentive_lines(design, job, lines) if by is None or by.paid == "at sale"]
    return tuple(lines)


# What of the lines is the array's alone where modules are laid.
OF_THE_ARRAY = ("modules", "strings", "fuses", "shutdown")


def storage_outlay(design: Design, job: Job) -> float:
    """What of the outlay is the battery's, with the unit that carries it [currency].

    Modules and the work on them, and new units without a battery, would be paid without it too; so would their margin,
    less what is given for an array. What stands once for the works is the battery's; where no modules are laid, so is
    what strings are worked on for.
    """
    lines, costs = cost_lines(design, job), job.costs
    laid = any(line.kind == "modules" for line in lines)
    arrays = costs.scaffold + sum(line.amount for line in lines if line.kind in OF_THE_ARRAY) if laid else 0.0
    arrays += sum(unit_cost(unit, costs) for unit in design.new_converters if unit.is_new and not unit.has_battery)
    arrays *= 1.0 + costs.margin
    priced = [line for line in lines if line.kind != "rebate"]
    arrays += sum(
        line.amount
        for line, by in _incentive_lines(design, job, priced)
        if by is not None and by.pays_for == "array" and by.paid == "at sale"
    )
    return sum(line.amount for line in lines) - arrays


def unit_cost(unit: Converter, costs: Costs) -> float:
    """Price of a unit with the hours it takes to hang it [currency]."""
    return unit.inverter.price + unit.inverter.install_hours * costs.labour_per_hour


class MoreModules(NamedTuple):
    """Modules beyond those that a design lays: power [kW], a year's DC energy [kWh], cost laid [currency], ageing."""

    kw: float = 0.0
    kwh: float = 0.0
    cost: float = 0.0
    ageing: float = 0.0


NO_MORE = MoreModules()


def incentives_of(design: Design, job: Job, years: int, more: MoreModules = NO_MORE) -> tuple[float, np.ndarray]:
    """What is paid towards the works: at the sale, and at the end of each year, shape (years,) [currency].

    Parameters
    ----------
    design : Design
        What is built.
    job : Job
        Its prices.
    years : int
        Counted.
    more : MoreModules
        New modules beside the design's.

    Notes
    -----
    A kWh made is counted on the DC side of the new modules, which make less as they age.
    """
    lines = [line for line in cost_lines(design, job) if line.kind != "rebate"]
    paid = _incentive_lines(design, job, lines, more)
    at_sale = -sum(line.amount for line, by in paid if by is None or by.paid == "at sale")
    return at_sale, _later(design, paid, years, more)


def later_incentives(design: Design, job: Job, years: int) -> np.ndarray:
    """Incentives that come after the sale, at the end of each year, shape (years,) [currency]; see `incentives_of`."""
    if all(incentive.paid == "at sale" for incentive in job.costs.incentives):
        return np.zeros(years)
    return incentives_of(design, job, years)[1]


def _later(
    design: Design, paid: "list[tuple[CostLine, Incentive | None]]", years: int, more: MoreModules
) -> np.ndarray:
    at, found = np.arange(years), np.zeros(years)
    new = [run.face for unit in design.pv_converters for run in unit.stringing.runs if run.face.plan.fate == "new"]
    ageing = max((*(face.module.ageing_per_year for face in new), more.ageing))
    for line, incentive in paid:
        if incentive is not None and incentive.paid == "next year" and years:
            found[0] -= line.amount
        elif incentive is not None and incentive.paid == "each year":
            made = (1.0 - ageing) ** at if incentive.per == "kWh made" else 1.0
            found += np.where(at < incentive.years, -line.amount * made * (1.0 - incentive.falls) ** at, 0.0)
    return found


def _in_part(incentive: Incentive, size: float) -> float:
    """How much of a size is paid for: all up to a bound, a share of what lies beyond."""
    bound = incentive.full_up_to
    return size if bound is None else min(size, bound) + incentive.beyond * max(size - bound, 0.0)


def _existing_lines(design: Design, job: Job) -> list[CostLine]:
    """What is taken away of that which is there, and what is hung elsewhere."""
    costs, lines = job.costs, []
    for gone in design.removed:
        unit = gone.surveyed or gone.battery_surveyed
        alone = len(design.removed) == 1
        label = "Taking the old inverter away" if alone else f"Taking away {gone.inverter.name}"
        lines.append(CostLine("removal", label, _works_cost(unit, costs.remove_unit)))
        packs = gone.battery_surveyed
        if gone.surveyed is not None and packs is not None and packs.works_cost is not None:
            lines.append(CostLine("removal", f"Taking away the packs of {packs.name}", packs.works_cost))
    kept = {battery.name for unit in design.converters if (battery := unit.battery_surveyed) is not None}
    kept |= {battery.name for unit in design.removed if (battery := unit.battery_surveyed) is not None}
    for battery in job.existing_batteries:
        if battery.name not in kept:
            label = f"Taking away the packs of {battery.name}"
            lines.append(CostLine("removal", label, _works_cost(battery, costs.remove_unit)))
    for converter in design.converters:
        unit = converter.surveyed or converter.battery_surveyed
        if unit is not None and unit.fate == "move" and not converter.is_new:
            again = costs.remove_unit + converter.inverter.install_hours * costs.labour_per_hour
            label = f"Hanging {converter.inverter.name} elsewhere"
            lines.append(CostLine("removal", label, _works_cost(unit, again)))
        packs = converter.battery_surveyed
        if converter.surveyed is not None and packs is not None and packs.fate == "move" and not converter.is_new:
            label = f"Hanging the packs of {packs.name} elsewhere"
            lines.append(CostLine("removal", label, _works_cost(packs, costs.remove_unit)))
    return lines


def _service_lines(design: Design, job: Job) -> list[CostLine]:
    """Generators, changeovers and current transformers that are taken away or come to stand elsewhere."""
    usual, lines = job.costs.remove_unit, []
    for item, fate in service_fates(design, job):
        amount = _works_cost(item, 0.0 if isinstance(item, ExistingTransformers) else usual)
        if fate == "goes":
            label = f"Taking away {item.name}"
        elif item.fate == "move":
            label = f"Moving {item.name}"
        else:
            continue
        if amount:
            lines.append(CostLine("removal", label, amount))
    return lines


def _works_cost(unit: Surveyed | None, usual: float) -> float:
    """What moving or taking away a thing costs: as stated for it, else as usual."""
    return usual if unit is None or unit.works_cost is None else unit.works_cost


def _site_lines(design: Design, job: Job) -> list[CostLine]:
    """What stands once for the works: permit, engineering, gateway; modules taken off, scaffold, cable."""
    costs, lines = job.costs, []
    battery = design.battery_converter
    for label, amount, due in (
        ("Permit and application", costs.permit, True),
        ("Engineering", costs.engineering, battery is not None and battery.battery_is_new),
        ("Gateway and meter", costs.gateway, battery is not None and battery.battery_is_new),
    ):
        if amount and due:
            lines.append(CostLine("once", label, amount))
    laid = any(
        run.face.plan.fate == "new" for converter in design.pv_converters for run in converter.stringing.runs
    )
    gone = sum(face.count for face in design.taken_down(job))
    if gone and costs.module_removal:
        lines.append(CostLine("removal", f"Taking {counted(gone, 'module')} off", gone * costs.module_removal))
    if costs.scaffold and (laid or gone):
        lines.append(CostLine("site", "Scaffold", costs.scaffold))
    if costs.cable_per_metre and costs.cable_metres:
        amount = costs.cable_per_metre * costs.cable_metres
        lines.append(CostLine("site", "Cable, laid", amount))
    return lines


def _incentive_lines(
    design: Design, job: Job, lines: list[CostLine], more: MoreModules = NO_MORE
) -> list[tuple[CostLine, Incentive | None]]:
    """The rebate a kWh (None) and every incentive, each below its cap; what is paid once is no more than the thing."""
    costs = job.costs
    battery = design.battery_converter
    new = battery is not None and battery.battery_is_new
    bank = battery.bought_packs if battery is not None else None
    array_kw = more.kw + sum(
        run.module.power_w * run.modules / 1000.0
        for converter in design.pv_converters
        for run in converter.stringing.runs
        if run.face.plan.fate == "new"
    )
    array_kwh = more.kwh + sum(
        run.face.kwh_a_module * run.modules
        for converter in design.pv_converters
        for run in converter.stringing.runs
        if run.face.plan.fate == "new"
    )
    paid: list[tuple[CostLine, Incentive | None]] = []
    if bank is not None and costs.rebate_per_kwh:
        rebate = costs.rebate_per_kwh * bank.nominal_kwh
        rebate = rebate if costs.rebate_max is None else min(rebate, costs.rebate_max)
        kinds = ("battery", "unit") if new else ("battery",)
        rebate = min(rebate, sum(line.amount for line in lines if line.kind in kinds))
        paid.append((CostLine("rebate", "Rebate for the battery", -rebate), None))
    priced = {"battery": ("battery", "unit") if new else (), "array": ("modules",)}
    for incentive in costs.incentives:
        worth = sum(line.amount for line in lines if line.kind in priced[incentive.pays_for])
        worth += more.cost if incentive.pays_for == "array" else 0.0
        sizes = {"kW": array_kw, "%": worth / 100.0, "kWh made": array_kwh}
        if incentive.pays_for == "battery":
            sizes |= {"kW": battery.gives[0] if new and battery is not None else 0.0}
            sizes |= {"kWh": bank.nominal_kwh if bank is not None else 0.0}
            due = bank is not None
        else:
            due = array_kw > 0.0
        if not due:
            continue
        amount = incentive.amount * _in_part(incentive, sizes[incentive.per])
        # Paid once, nobody gives more than the thing costs.
        amount = amount if incentive.paid == "each year" else min(amount, worth)
        amount = amount if incentive.cap is None else min(amount, incentive.cap)
        if amount > 0.0:
            paid.append((CostLine("rebate", incentive.name, -amount), incentive))
    return paid
