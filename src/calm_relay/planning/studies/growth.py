"""What was left room for, and whether more is better bought now or on a later visit."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from math import floor, inf
from typing import NamedTuple

import numpy as np

from calm_relay.job.model import Job
from calm_relay.physics.money import present_value
from calm_relay.physics.plant.inputs import bus_inputs
from calm_relay.physics.plant.parts import ConverterPart
from calm_relay.planning.architecture.cost import NO_MORE, MoreModules, incentives_of
from calm_relay.planning.architecture.design import Converter, Design
from calm_relay.planning.architecture.ratio_limits import ratio_limits
from calm_relay.planning.architecture.refusals import battery_refusals
from calm_relay.planning.common.progress import Progress, unheard
from calm_relay.planning.common.region_words import said_in_region
from calm_relay.planning.operation.simulate import bill_of, inputs_of
from calm_relay.planning.plan import Groundwork, Plan
from calm_relay.planning.site.roof_room import room_of
from calm_relay.planning.studies.battery_sweep import with_bank
from calm_relay.planning.verdict.option import Option, RefusedOption
from calm_relay.planning.wiring.wiring import RISE

# When "later" is: common practice, no source.
LATER_YEARS = 5
# Modules that are added in one go where the roof and the unit have room.
MOST_MODULES = 8


@dataclass(frozen=True)
class Room:
    """What is left of one limit: what it is about, how much of it is used, in words, and what ends it."""

    name: str
    used: float
    words: str
    ends: str


@dataclass(frozen=True)
class NowOrLater:
    """The same addition bought with this visit or on one of its own, `LATER_YEARS` from now, in the job's currency.

    `worth_now` and `worth_later` are net present values over the job's years.
    """

    what: str
    cost_now: float
    cost_later: float
    saving: float
    worth_now: float
    worth_later: float
    beware: str
    priced: bool = True

    @property
    def sentence(self) -> str:
        """Which is better, and what to think of when it is left for later."""
        if not self.priced:
            return f"{self.what}: it has no price yet, so nothing is said of now or later."
        if max(self.worth_now, self.worth_later) < 0.0:
            return f"{self.what}: neither now nor later pays by the bill alone."
        better = "now" if self.worth_now >= self.worth_later else "later"
        return f"{self.what}: better {better}; {self.beware}."


@dataclass(frozen=True)
class Growth:
    """What an option leaves room for, and what more would cost now and later."""

    rooms: tuple[Room, ...]
    choices: tuple[NowOrLater, ...]
    currency: str
    years: int


@said_in_region
def growth_of(plan: Plan, option: Option | RefusedOption, progress: Progress = unheard) -> Growth | None:
    """What was left room for; None for an option that cannot be built.

    Parameters
    ----------
    plan : Plan
        The plan.
    option : Option or RefusedOption
        The option in view.
    progress : Progress
        Told before each part.
    """
    if isinstance(option, RefusedOption):
        return None
    progress(0.1, "Looking for room")
    rooms = (
        *_arrays(plan, option),
        *_roofs(plan, option),
        *_batteries(option),
        *_service(option),
        *_cables(option),
    )
    progress(0.4, "Trying one battery more")
    choices = [*more_battery(plan, option)]
    progress(0.7, "Trying more modules")
    choices += _more_modules(plan, option)
    return Growth(tuple(rooms), tuple(choices), plan.job.tariff.currency, LATER_YEARS)


def _arrays(plan: Plan, option: Option) -> Iterator[Room]:
    """Power and inputs of each unit with modules."""
    for converter in option.design.pv_converters:
        if converter.micro is not None or not converter.has_array:
            continue
        name, ac_kw = converter.inverter.name, converter.inverter.ac_kw
        limits = ratio_limits(converter, plan.job, option.context.survey)
        if limits:
            most = limits[0].ratio_max * ac_kw
            yield Room(
                f"Array on {name}",
                converter.array_kw / most,
                f"{converter.array_kw:.1f} of {most:.1f} kWp",
                limits[0].owner,
            )
        inputs = len(converter.inverter.pv_side.trackers)
        used = len(converter.stringing.inputs)
        yield Room(f"Inputs of {name}", used / inputs, f"{used} of {inputs}", "inverter datasheet")


def _roofs(plan: Plan, option: Option) -> Iterator[Room]:
    """Modules that the measured faces still hold."""
    laid = {face.plan.name for unit in option.design.converters for face in unit.faces}
    for face in option.context.faces:
        room = room_of(face)
        if room is None or face.plan.name not in laid or room.count < 1:
            continue
        words = f"{face.plan.count} of {room.count} modules"
        yield Room(f"Roof, {face.plan.name}", face.plan.count / room.count, words, "its measured rectangle")


def _batteries(option: Option) -> Iterator[Room]:
    """Packs on a unit, and units side by side."""
    for converter in option.design.converters:
        if not converter.has_battery or converter.inverter.built_in_pack is not None:
            continue
        bank, inverter = converter.bank, converter.inverter
        most = _most_packs(converter, option.context.job)
        ends = "the most in a stack" if most == bank.pack.count_max else "what the unit and the pack bear"
        mixed = "" if bank.pack.mixes_with else "; only the same generation"
        yield Room(f"Packs on {inverter.name}", bank.count / most, f"{bank.count} of {most}{mixed}", ends)
        if bank.pack.stacks_max > 1:
            of = bank.pack.stacks_max
            words = f"{bank.stacks} of {of} side by side"
            yield Room(f"Stacks of {bank.pack.name}", bank.stacks / of, words, "battery datasheet")
        yield Room(
            f"Units like {inverter.name.removeprefix(f'{bank.units} × ')}",
            bank.units / inverter.units_max,
            f"{bank.units} of {inverter.units_max} side by side",
            "inverter datasheet",
        )


def _most_packs(converter: Converter, job: Job) -> int:
    """The largest number of packs that can be built on a unit."""
    pack, most = converter.bank.pack, converter.bank.count
    for count in range(converter.bank.count + 1, pack.count_max + 1):
        if battery_refusals(replace(converter.bank, count=count), converter.inverter, job):
            break
        most = count
    return most


ASKED = {
    "busbar": ("Busbar of the board", "A"),
    "main fuse": ("Main fuse, highest import", "kW"),
    "main fuse, fed": ("Main fuse, highest export", "kW"),
    "notify or apply": ("What the operator allows this way", "kW"),
    "export rule": ("Export", "kW"),
    "forming power": ("Power in an outage", "kW"),
}


def _service(option: Option) -> Iterator[Room]:
    """Board, fuse and permission, from what was found of each."""
    for finding in option.findings:
        if finding.check in ASKED and finding.measured is not None and finding.limit:
            name, unit = ASKED[finding.check]
            if finding.check == "forming power" and not option.context.job.supply.on_grid:
                name = "Power it forms"
            words = f"{finding.measured:.3g} of {finding.limit:.3g} {unit}"
            yield Room(name, finding.measured / finding.limit, words, finding.rule.split(",")[0])


def _cables(option: Option) -> Iterator[Room]:
    """The heaviest used feeder, and the voltage rise of the unit that has most of it."""
    wiring, rule = option.wiring, option.context.rules.of(RISE)
    if wiring is None or rule is None or not option.context.job.supply.on_grid:
        return
    rises = [
        wiring.rise_share(cable.edge.key)
        for cable in wiring.cables
        if cable.edge.kind in ("unit", "branch") and cable.size is not None
    ]
    if rises:
        yield Room(
            "Voltage rise to the meter",
            max(rises) / rule.limit,
            f"{max(rises):.1%} of {rule.limit:.0%}",
            "cables to the meter",
        )


def _worth(job: Job, cost: float, saving: float, start: int) -> float:
    """Net present value of what is bought in a year and saves from the next on [currency]."""
    costs = job.costs
    flows = np.zeros(costs.horizon_years + 1)
    if start > costs.horizon_years:
        return 0.0
    flows[start] -= cost
    years = np.arange(start + 1, costs.horizon_years + 1)
    flows[years] += saving * (1.0 + costs.price_rise) ** (years - 1)
    return present_value(flows, costs.discount_rate)


def _now_or_later(
    job: Job,
    what: str,
    parts: float,
    hours: float,
    saving: float,
    beware: str,
    *,
    priced: bool,
    paid: "_Paid | None" = None,
) -> NowOrLater:
    """The same parts and hours with this visit, and with a visit, a design and a permit of their own.

    `paid` is what incentives give for them; later it is taken to be given as it is today.
    """
    paid = paid or _Paid(0.0, 0.0)
    costs = job.costs
    work = hours * costs.labour_per_hour
    now = (parts + work) * (1.0 + costs.margin) - paid.at_sale
    later = (parts + work + costs.once_per_job + costs.permit) * (1.0 + costs.margin) - paid.at_sale
    return NowOrLater(
        what,
        now,
        later,
        saving,
        _worth(job, now, saving, 0) + paid.after,
        _worth(job, later, saving, LATER_YEARS) + paid.after / (1.0 + costs.discount_rate) ** LATER_YEARS,
        beware,
        priced,
    )


def more_battery(plan: Groundwork, option: Option) -> Iterator[NowOrLater]:
    """One pack more on each unit of an option, now or later; nothing where it cannot be built."""
    converter = option.design.battery_converter
    if (
        converter is None
        or not converter.battery_is_new
        or _most_packs(converter, plan.job) <= converter.bank.count
    ):
        return
    bank = converter.bank
    more = with_bank(option.design, replace(bank, count=bank.count + 1))
    saving = option.outcome.money.bill - _bill(plan, more)
    pack, each = bank.pack, bank.units * bank.stacks
    yield _now_or_later(
        plan.job,
        f"{each} × {pack.name} more" if each > 1 else f"One {pack.name} more",
        pack.price * each,
        pack.install_hours * each,
        saving,
        "later the same pack may be made no more, and an old one beside a new one gives less than it could",
        priced=pack.price > 0.0,
        paid=_paid_more(plan.job, option.design, more),
    )


class _Paid(NamedTuple):
    """What incentives give: at the sale, and after it in its present value [currency]."""

    at_sale: float
    after: float


def _paid_more(job: Job, design: Design, then: Design, more: MoreModules = NO_MORE) -> _Paid:
    """What incentives give beyond what they give already."""
    before, after = _paid_for(job, design), _paid_for(job, then, more)
    return _Paid(after.at_sale - before.at_sale, after.after - before.after)


def _paid_for(job: Job, design: Design, more: MoreModules = NO_MORE) -> _Paid:
    at_sale, later = incentives_of(design, job, job.costs.horizon_years, more)
    return _Paid(at_sale, present_value(np.concatenate([[0.0], later]), job.costs.discount_rate))


def _bill(plan: Groundwork, design: Design) -> float:
    year = bus_inputs(inputs_of(design, plan.job, plan.site, plan.demand))
    return bill_of(year, plan.job, plan.site)


def _more_of(part: ConverterPart, factor: float) -> ConverterPart:
    """So many times as many microinverters as one."""
    limits = ("ac_limit_kw", "pv_limit_kw", "loss_rated_kw", "standby_kw")
    return replace(part, **{name: value * factor for name in limits if (value := getattr(part, name)) is not None})


def _more_modules(plan: Plan, option: Option) -> Iterator[NowOrLater]:
    """Modules that roof and unit still bear, on the unit with most room; as they are laid, all faces a little more."""
    best: tuple[int, Converter, int] | None = None
    for number, converter in enumerate(option.design.converters):
        if not converter.has_array:
            continue
        limits = ratio_limits(converter, plan.job, option.context.survey)
        module = converter.stringing.runs[0].module
        room_kw = limits[0].ratio_max * converter.inverter.ac_kw - converter.array_kw if limits else 0.0
        if converter.micro is not None:
            # Each brings its own inverter.
            room_kw = inf
        roof = sum(
            max(room.count - face.plan.count, 0) for face in converter.faces if (room := room_of(face)) is not None
        )
        count = floor(min(room_kw * 1000.0 / module.power_w + 1e-9, roof, MOST_MODULES))
        if count > 0 and (best is None or count > best[2]):
            best = number, converter, count
    if best is None:
        return
    number, converter, count = best
    run = converter.stringing.runs[0]
    module, under = run.module, converter.micro or run.optimiser
    factor = 1.0 + count * module.power_w / 1000.0 / converter.array_kw
    inputs = inputs_of(option.design, plan.job, plan.site, plan.demand)
    factors = np.ones((len(option.design.converters), 1))
    factors[number] = factor
    plant = inputs.plant
    if converter.micro is not None:
        plant = tuple(_more_of(part, factor) if at == number else part for at, part in enumerate(plant))
    year = bus_inputs(replace(inputs, plant=plant, pv_kw=inputs.pv_kw * factors))
    saving = option.outcome.money.bill - bill_of(year, plan.job, plan.site)
    costs, asked = plan.job.costs, option.design.shutdown
    device = costs.shutdown_device if under is None and asked is not None and asked.bare else 0.0
    laid = count * (module.price + (under.price if under else device) + costs.module_labour)
    more = MoreModules(
        count * module.power_w / 1000.0,
        (factor - 1.0) * sum(run.face.kwh_a_module * run.modules for run in converter.stringing.runs),
        laid,
        module.ageing_per_year,
    )
    yield _now_or_later(
        plan.job,
        f"{count} × {module.name}{f' with {under.name}' if under else ''} more",
        laid,
        0.0,
        saving,
        "later modules are of another size and current: a string of their own, and the scaffold again",
        priced=module.price > 0.0 and (under is None or under.price > 0.0),
        paid=_paid_more(plan.job, option.design, option.design, more),
    )
