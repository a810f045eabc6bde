"""Sentences for and against an option, each with its numbers, ordered by the purposes' weights."""

from collections.abc import Iterable
from dataclasses import dataclass, replace

from calm_relay.job.model import Job, Supply
from calm_relay.planning.architecture.bus_rating import arrays_left_off
from calm_relay.planning.architecture.design import Design, Spoken
from calm_relay.planning.common.amounts import in_pair, money_text, years_text
from calm_relay.planning.common.joined import counted, joined
from calm_relay.planning.common.vocabulary import vocabulary_of
from calm_relay.planning.operation.island import wakes_by_arrays_beside
from calm_relay.planning.site.demand import DemandYear
from calm_relay.planning.verdict.option import Option

WORTH_SAYING_KWH, WORTH_SAYING_SHARE = 10.0, 0.01


@dataclass(frozen=True)
class Reason:
    """One sentence for or against, the purpose it speaks to, and the weight that orders it."""

    speaks_for: bool
    purpose: str
    weight: float
    sentence: str


def reasons_for(option: Option, options: list[Option], job: Job, demand: DemandYear) -> tuple[Reason, ...]:
    """Reasons for and against one option beside the others.

    Parameters
    ----------
    option : planning.plan.Option
        One with an outcome.
    options : sequence of planning.plan.Option
        All options with an outcome, this one among them.
    job : Job
        The job.
    demand : planning.site.demand.DemandYear
        The home's year.
    """
    result: Spoken = [
        *_bill(option, options, job),
        *_own_power(option, options),
        *(_outage(option, demand.worst_season) if job.supply.on_grid else _lights(option, job, demand)),
        *_outlay(option, job),
        *_works(option),
        *_path(option, options),
        *_yield(option, options),
        *option.design.architecture.reasons(option, options, job),
    ]
    reasons = [Reason(good, purpose, job.weight(purpose), sentence) for good, purpose, sentence in result]
    return _in_order(reason for reason in reasons if reason.weight > 0)


def with_beaten(reasons: tuple[Reason, ...], beaten: Reason) -> tuple[Reason, ...]:
    """Reasons with one more, before those of its weight.

    Parameters
    ----------
    reasons : tuple of Reason
        An option's reasons.
    beaten : Reason
        That another option beats it.
    """
    return _in_order((beaten, *reasons))


def _in_order(reasons: Iterable[Reason]) -> tuple[Reason, ...]:
    """Those for before those against, each by weight."""
    return tuple(sorted(reasons, key=lambda reason: (not reason.speaks_for, -reason.weight)))


def _other(options: list[Option], *roles: str) -> Option | None:
    """The first option of an architecture in one of the roles; None where there is none."""
    found = {item.role: item for item in reversed(options)}
    return next((found[role] for role in roles if role in found), None)


def _bill(option: Option, options: list[Option], job: Job) -> Spoken:
    money = option.outcome.money
    what = vocabulary_of(job.supply).bill
    if not job.pays_for_power:
        return []
    if option.role == "today":
        return [(False, "lower_bills", f"{what} stays at {money_text(job, money.bill)} a year.")]
    burnt: Spoken = []
    if money.in_outages >= 0.5:
        sentence = f"Of the fuel burnt in outages it saves {money_text(job, money.in_outages)} a year."
        burnt = [(True, "lower_bills", sentence)]
    if money.saving <= 0:
        more = money_text(job, -money.saving)
        return [(False, "lower_bills", f"{what} rises by {more} a year."), *burnt]
    best = max(item.outcome.money.saving for item in options)
    sentence = (
        f"{what} falls by {money_text(job, money.saving)} to {money_text(job, money.bill)} a year"
        f"{', the lowest of the options' if money.saving >= best else ''}."
    )
    return [(True, "lower_bills", sentence), *burnt]


def _own_power(option: Option, options: list[Option]) -> Spoken:
    if not option.context.faces:
        return []
    share = option.outcome.figures.self_sufficiency
    now = _other(options, "today")
    if option.role == "today" or now is None:
        return [(False, "self_sufficiency", f"Only {share:.0%} of the home's energy is its own.")]
    before = now.outcome.figures.self_sufficiency
    if share <= before:
        return [(False, "self_sufficiency", f"Self-sufficiency: {share:.0%} of the home, today {before:.0%}.")]
    return [(True, "self_sufficiency", f"Self-sufficiency: {share:.0%} of the home instead of {before:.0%}.")]


def _lights(option: Option, job: Job, demand: DemandYear) -> Spoken:
    """Off grid: what goes unserved, and how long a full battery lasts without sun."""
    outcome, year = option.outcome, option.outcome.island_year
    share, converter = outcome.unserved, option.design.battery_converter
    summary = f"{year.unmet_kwh:,.0f} kWh a year, {share:.1%} of what is asked, go unserved"
    within, most = share <= job.off_grid.unmet_max, job.off_grid.unmet_max
    against = f": within the {most:.1%} allowed" if within else f", more than the {most:.1%} allowed"
    if year.unmet_kwh < 0.5:
        summary, against = "Nothing that is asked in a year goes unserved", ""
    result: Spoken = [(within, "ride_through_outage", f"{summary}{against}.")]
    if year.trips:
        result.append(
            (
                False,
                "ride_through_outage",
                f"It trips {counted(year.trips, 'time')} a year: too weak for the load.",
            )
        )
    if converter is None:
        return result
    days = converter.bank.usable_kwh / (demand.worst_season_mean_kw * 24.0)
    sentence = f"A full battery carries the mean {demand.worst_season} load for {days:.1f} days without sun."
    result.append((True, "ride_through_outage", sentence))
    backup = converter.inverter.backup
    if backup is not None and not (converter.has_array and backup.black_start):
        if job.generator is not None:
            sentence = "Once flat, only the generator brings it back: no module hangs on its own DC bus."
            result.append((False, "ride_through_outage", sentence))
        elif not wakes_by_arrays_beside(option.design, job.supply):
            sentence = "Once flat, nothing brings it back: no module hangs on its own DC bus."
            result.append((False, "ride_through_outage", sentence))
    return result


def _outage(option: Option, season: str) -> Spoken:
    on_backup = option.outcome.backup
    if on_backup.power_kw <= 0:
        whole = "so do house and array" if option.context.faces else "so does the house"
        return [(False, "ride_through_outage", f"When the grid fails, {whole}.")]
    where = f" on {on_backup.place}" if on_backup.place else ""
    sentence = (
        f"Carries the mean {season} load{where} for {on_backup.hours_where_served:.1f} h in an outage "
        f"({on_backup.held_kwh:.1f} kWh held, nine times in ten)."
    )
    result: Spoken = [(True, "ride_through_outage", sentence)]
    if on_backup.served < 0.995:
        sentence = f"In an outage one phase of three stays on: {on_backup.served:.0%} of what is to stay on."
        result.append((False, "ride_through_outage", sentence))
    if on_backup.power_kw < on_backup.peak_kw:
        gives, peak = in_pair(on_backup.power_kw, on_backup.peak_kw)
        sentence = (
            f"In an outage it gives {gives} kW; the worst evening half hour{where} asks {peak} kW, so loads must be "
            "shed."
        )
        result.append((False, "ride_through_outage", sentence))
    backup = option.design.leader.backup
    if option.coupling == "AC" and backup.throttles_ac_pv == "none":
        result.append((False, "ride_through_outage", "In an outage the array stays off: nothing throttles it."))
    elif left_off := arrays_left_off(option.design, option.context.job.supply):
        names = " and ".join(unit.inverter.name for unit in left_off)
        result.append(
            (False, "ride_through_outage", f"In an outage {names} and what hangs on it stay off: on other phases.")
        )
    elif option.coupling == "DC" and not backup.black_start:
        result.append((False, "ride_through_outage", "Once flat in an outage, it cannot start itself at sunrise."))
    return result


def _outlay(option: Option, job: Job) -> Spoken:
    money = option.outcome.money
    if option.role == "today":
        return [(True, "low_outlay", "Costs nothing today.")]
    if not job.pays_for_power:
        return [(False, "low_outlay", f"Costs {money_text(job, money.outlay)}.")]
    years = years_text(money.payback_years)
    sentence = f"Costs {money_text(job, money.outlay)}; "
    sentence += "it never pays back." if years == "never" else f"pays back in {years}."
    warranty = option.design.leader.bank.pack.warranty_years
    if money.payback_years > warranty:
        sentence = sentence[:-1] + f", the pack's warranty ends after {warranty:g}."
    return [(money.payback_years <= warranty, "low_outlay", sentence)]


def _works(option: Option) -> Spoken:
    design = option.design
    if design.architecture.role == "today":
        return [(True, "gentle_works", "Nothing is touched.")]
    if option.context.kept is None and not option.context.now:
        return _new_works(design, option.context.job.supply)
    supply = option.context.job.supply
    before = replace(design, converters=option.context.now).counted_kw(supply)
    after = design.counted_kw(supply)
    counted = f"The network operator counts {after:g} kW"
    if not design.removed:
        more: Spoken = [(False, "gentle_works", f"{counted} instead of {before:g} kW.")]
        return [(True, "gentle_works", _stays(option)), *(more if after > before + 1e-9 else [])]
    result: Spoken = [
        (after <= before, "gentle_works", f"{counted}, today {before:g} kW."),
        (False, "gentle_works", _taken_and_hung(design)),
    ]
    for unit in design.removed:
        moved = any(item.battery_surveyed == unit.battery_surveyed for item in design.converters)
        if unit.has_battery and not moved:
            summary = f"The old battery, {unit.bank.usable_kwh:.1f} kWh usable, goes with its unit."
            result.append((False, "gentle_works", summary))
    return result


def _taken_and_hung(design: Design) -> str:
    """What comes off the wall and the roof, what is reconnected, and what that means."""
    inverters = [unit for unit in design.removed if unit.micro is None and unit.has_strings]
    parts = []
    if any(unit.micro is not None for unit in design.removed):
        parts.append("the microinverters come off")
    if len(inverters) == 1:
        parts.append(f"a working inverter of {inverters[0].age_years:g} years comes off")
    elif inverters:
        parts.append(f"{len(inverters)} working inverters come off")
    if design.strings_moved:
        strings = "1 string is" if design.strings_moved == 1 else f"{design.strings_moved} strings are"
        parts.append(f"{strings} reconnected")
    leader = design.leader
    others = [unit for unit in design.converters if unit is not leader and (unit.has_array or unit.has_battery)]
    hung = sum(unit.held.units if unit.held else 1 for unit in design.converters if unit.is_new and not unit.micro)
    if leader.has_array and not others:
        units = leader.bank.units
        parts.append(
            "if the one unit fails, array and battery both stop"
            if units == 1
            else f"if one of {units} units fails, the others work on"
        )
    elif hung:
        parts.append("a new unit is hung" if hung == 1 else f"{hung} new units are hung")
    clauses = len(parts) > 2 or parts[-1].startswith("if")
    said = f"{', '.join(parts[:-1])}, and {parts[-1]}" if clauses and len(parts) > 1 else joined(parts)
    return f"{said[:1].upper()}{said[1:]}."


def _stays(option: Option) -> str:
    """What is left as it is by an option that takes no unit away."""
    design = option.design
    if design.architecture.stays:
        return design.architecture.stays
    units = design.leader.bank.units
    apart = f"if one of {units + 1} units fails, the others work on" if units > 1 else None
    faces = [run.face.plan for unit in design.pv_converters for run in unit.stringing.runs]
    same = not any(face.fate == "new" for face in faces) and all(
        face.will_be_there for face in option.context.job.faces
    )
    stay = "Roof and inverter stay" if same else "The inverter stays"
    return f"{stay}; {apart or 'if one unit fails, the other works on'}."


def _new_works(design: Design, supply: Supply) -> Spoken:
    total = sum(converter.inverter.ac_kw for converter in design.converters)
    counted = f"the operator counts {design.counted_kw(supply):g} kW" if supply.on_grid else f"{total:g} kW in all"
    units = design.leader.bank.units
    if design.architecture.one_inverter and units > 1:
        return [
            (True, "gentle_works", f"{units} units side by side: if one fails, the others work on."),
            (False, "gentle_works", f"More units: {counted}."),
        ]
    if design.architecture.one_inverter:
        return [
            (True, "gentle_works", f"One unit on the wall: {counted}."),
            (False, "gentle_works", "If the one unit fails, array and battery both stop."),
        ]
    apart = (
        "a module that fails takes no other with it"
        if design.architecture.per_module
        else "if one fails, the other works on"
    )
    if not design.pv_converters:
        return [(False, "gentle_works", f"A unit on the wall where there was none: {counted}.")]
    return [
        (True, "gentle_works", f"Array and battery stand apart: {apart}."),
        (False, "gentle_works", f"More units: {counted}."),
    ]


def _path(option: Option, options: list[Option]) -> Spoken:
    outcome = option.outcome
    through = outcome.paths.through_battery
    result: Spoken = []
    kin = _other(options, "AC", "AC off grid")
    other = kin if option.role == "DC" else _other(options, "DC")
    theirs = other.outcome.paths.through_battery if other is not None and other is not option else None
    if through is not None and other is not None and theirs and abs(through - theirs) >= WORTH_SAYING_SHARE:
        sentence = f"From module through battery to home {through:.1%}; with {other.title} {theirs:.1%}."
        result.append((through >= theirs, "self_sufficiency", sentence))
    now = _other(options, "today" if option.context.now else "AC", "AC off grid")
    clipped_now = now.outcome.figures.clipped_kwh if now else 0.0
    if option.coupling == "DC" and clipped_now >= WORTH_SAYING_KWH:
        caught = clipped_now - outcome.figures.clipped_kwh
        if caught > 0:
            sentence = f"Clipping falls from {clipped_now:,.0f} to {outcome.figures.clipped_kwh:,.0f} kWh a year."
            result.append((True, "self_sufficiency", sentence))
    elif option.coupling == "AC" and clipped_now >= WORTH_SAYING_KWH:
        sentence = f"None of the {clipped_now:,.0f} kWh clipped a year is caught: it ends before the battery."
        result.append((False, "self_sufficiency", sentence))
    return result


def _yield(option: Option, options: list[Option]) -> Spoken:
    """What the same modules give under another kind of electronics."""
    offered = option.outcome.figures.pv_dc_kwh
    others = [item for item in options if item is not option and item.outcome.figures.pv_dc_kwh > 0]
    micro = option.design.architecture.per_module
    rivals = [item for item in others if item.design.architecture.per_module != micro]
    if not rivals or offered <= 0 or not (micro or any(item.design.architecture.per_module for item in rivals)):
        return []
    theirs = max(item.outcome.figures.pv_dc_kwh for item in rivals)
    more = offered / theirs - 1.0
    if abs(more) < 0.01:
        return []
    if more > 0:
        sentence = f"Each module works for itself: {offered:,.0f} kWh a year DC, on strings {theirs:,.0f}."
    else:
        sentence = f"Strings lose to mismatch: {offered:,.0f} kWh a year DC, each module alone {theirs:,.0f}."
    return [(more > 0, "lower_bills", sentence)]
