"""Sentences for and against an option, each with its numbers, ordered by the purposes' weights."""

from dataclasses import dataclass

from calm_relay.job.model import Job
from calm_relay.planning.architecture.design import (
    AC_ADDON,
    AC_BUS,
    AS_IS,
    BALCONY,
    CLOCK_BANK,
    GROW_BANK,
    HYBRID_SWAP,
    MICRO_AC,
    TWO_UNITS,
)

WORTH_SAYING_KWH = 10.0
FULL = 0.98


@dataclass(frozen=True)
class Reason:
    """One sentence for or against, the purpose it speaks to, and the weight that orders it."""

    speaks_for: bool
    purpose: str
    weight: float
    sentence: str


def money_text(job: Job, amount: float) -> str:
    """An amount in the job's currency, without small change."""
    return f"{'−' if amount < -0.5 else ''}{job.tariff.currency} {abs(amount):,.0f}"


def years_text(years: float) -> str:
    """A payback time in words that fit a sentence."""
    if years == float("inf"):
        return "never"
    return "more than 60 years" if years > 60 else f"{years:.1f} years"


def reasons_for(option, options, job: Job, demand) -> tuple[Reason, ...]:
    """Reasons for and against one option beside the others.

    Parameters
    ----------
    option : planning.plan.Option
        One with an outcome.
    options : sequence of planning.plan.Option
        All options with an outcome, this one among them.
    job : Job
    demand : planning.demand.DemandYear
    """
    found = [
        *_bill(option, options, job),
        *_own_power(option, options),
        *(
            _outage(option, demand.evening_peak_kw, demand.worst_season)
            if job.supply.street
            else _lights(option, job, demand)
        ),
        *_outlay(option, job),
        *_works(option),
        *_path(option, options),
        *_yield(option, options),
        *_second_unit(option, options, job),
        *_clock(option),
    ]
    reasons = [Reason(good, purpose, job.weight(purpose), sentence) for good, purpose, sentence in found]
    heard = [reason for reason in reasons if reason.weight > 0]
    return tuple(sorted(heard, key=lambda reason: (not reason.speaks_for, -reason.weight)))


def _other(options, key):
    return next((item for item in options if item.design.key == key), None)


def _bill(option, options, job):
    money = option.outcome.money
    what = "The bill" if job.supply.street else "The generator's fuel"
    if option.design.key == AS_IS:
        return [(False, "lower_bills", f"{what} stays at {money_text(job, money.bill)} a year.")]
    if money.saving <= 0:
        more = money_text(job, -money.saving)
        return [(False, "lower_bills", f"{what} rises by {more} a year.")]
    best = max(item.outcome.money.saving for item in options)
    sentence = (
        f"{what} falls by {money_text(job, money.saving)} to {money_text(job, money.bill)} a year"
        f"{', the lowest of the options' if money.saving >= best else ''}."
    )
    return [(True, "lower_bills", sentence)]


def _own_power(option, options):
    share = option.outcome.figures.self_sufficiency
    now = _other(options, AS_IS)
    if option.design.key == AS_IS or now is None:
        return [(False, "use_own_power", f"Only {share:.0%} of the home's energy is its own.")]
    before = now.outcome.figures.self_sufficiency
    if share <= before:
        return [(False, "use_own_power", f"Own power covers {share:.0%} of the home, today {before:.0%}.")]
    return [(True, "use_own_power", f"Own power covers {share:.0%} of the home instead of {before:.0%}.")]


def _lights(option, job, demand):
    """Without a street: what goes unserved, and how long a full store lasts without sun."""
    outcome, year = option.outcome, option.outcome.year
    share, box = outcome.unmet, option.design.store_box
    told = f"{year.unmet_kwh:,.0f} kWh a year, {share:.1%} of what is asked, go unserved"
    if share <= job.alone.unmet_max:
        found = [(True, "ride_through_outage", f"{told}: within the {job.alone.unmet_max:.1%} allowed.")]
    else:
        found = [(False, "ride_through_outage", f"{told}, more than the {job.alone.unmet_max:.1%} allowed.")]
    if year.trips:
        found.append((False, "ride_through_outage", f"It trips {year.trips} times a year: too weak for the load."))
    if box is None:
        return found
    days = box.bank.usable_kwh / (demand.worst_season_mean_kw * 24.0)
    sentence = f"A full store carries the mean {demand.worst_season} load for {days:.1f} days without sun."
    found.append((True, "ride_through_outage", sentence))
    backup = box.converter.backup
    if backup is not None and not (box.has_array and backup.black_start):
        sentence = "Once flat, only the generator brings it back: no module hangs on its own DC bus."
        found.append((False, "ride_through_outage", sentence))
    return found


def _outage(option, peak_kw, season):
    dark = option.outcome.dark
    if dark.power_kw <= 0:
        return [(False, "ride_through_outage", "When the street goes dark, so do house and array.")]
    sentence = (
        f"Carries the mean {season} load for {dark.hours:.1f} h when dark ({dark.held_kwh:.1f} kWh held, "
        "nine times in ten)."
    )
    found = [(True, "ride_through_outage", sentence)]
    if dark.power_kw < peak_kw:
        sentence = (
            f"When dark it gives {dark.power_kw:.1f} kW; the worst evening half hour asks {peak_kw:.1f} kW, "
            "so loads must be shed."
        )
        found.append((False, "ride_through_outage", sentence))
    backup = option.design.store_box.converter.backup
    if option.design.coupling == "AC" and backup.throttles_ac_pv == "none":
        found.append((False, "ride_through_outage", "In an outage the array stays off: nothing throttles it."))
    elif option.design.coupling == "DC" and not backup.black_start:
        found.append((False, "ride_through_outage", "Once flat in an outage, it cannot start itself at sunrise."))
    return found


def _outlay(option, job):
    money = option.outcome.money
    if option.design.key == AS_IS:
        return [(True, "low_outlay", "Costs nothing today.")]
    years = years_text(money.payback_years)
    sentence = f"Costs {money_text(job, money.outlay)}; "
    sentence += "it never pays back." if years == "never" else f"pays back in {years}."
    warranty = option.design.store_box.bank.pack.warranty_years
    if money.payback_years > warranty:
        sentence = sentence[:-1] + f", the pack's warranty ends after {warranty:g}."
    return [(money.payback_years <= warranty, "low_outlay", sentence)]


def _works(option):
    design = option.design
    if design.key == AS_IS:
        return [(True, "gentle_works", "Nothing is touched.")]
    if option.ground.kept is None and not option.ground.now:
        return _new_works(design, option.ground.job.supply.street)
    before = sum(box.converter.ac_kw for box in option.ground.now)
    counted = f"The network operator counts {design.counted_kw:g} kW"
    if not design.removed:
        found = [(True, "gentle_works", _stays(design))]
        if design.counted_kw > before + 1e-9:
            found.append((False, "gentle_works", f"{counted} instead of {before:g} kW."))
        return found
    kept = option.ground.kept
    goes = (
        "The microinverters come off"
        if kept is None
        else f"A working inverter of {kept.age_years:g} years comes off"
    )
    ends = (
        "if the one box fails, array and store both stop" if design.coupling == "DC" else "two new boxes are hung"
    )
    found = [
        (design.counted_kw <= before, "gentle_works", f"{counted}, today {before:g} kW."),
        (False, "gentle_works", f"{goes}, {design.strings_moved} strings are reconnected, and {ends}."),
    ]
    old = next((box for box in option.ground.now if box.bank and box not in design.boxes), None)
    if old is not None:
        told = f"The old battery, {old.bank.usable_kwh:.1f} kWh usable, goes with its box."
        found.append((False, "gentle_works", told))
    return found


def _stays(design):
    """What is left as it is by an option that takes nothing away."""
    if design.key == GROW_BANK:
        return "No new box: the packs join the port that is there."
    if design.key == BALCONY:
        return "Nothing is touched: modules and store go on a plug."
    units = design.store_box.bank.units
    apart = f"if one of {units + 1} boxes fails, the others work on" if units > 1 else None
    return f"Roof and inverter stay; {apart or 'if one box fails, the other works on'}."


def _new_works(design, street):
    counted = f"the operator counts {design.counted_kw:g} kW" if street else f"{design.counted_kw:g} kW in all"
    if design.key == HYBRID_SWAP:
        return [
            (True, "gentle_works", f"One box on the wall: {counted}."),
            (False, "gentle_works", "If the one box fails, array and store both stop."),
        ]
    apart = (
        "a module that fails takes no other with it"
        if design.key == MICRO_AC
        else "if one fails, the other works on"
    )
    return [
        (True, "gentle_works", f"Array and store stand apart: {apart}."),
        (False, "gentle_works", f"More boxes: {counted}."),
    ]


def _path(option, options):
    outcome = option.outcome
    through = outcome.paths.through_store
    found = []
    kin = _other(options, AC_ADDON) or _other(options, AC_BUS)
    other = kin if option.design.key == HYBRID_SWAP else _other(options, HYBRID_SWAP)
    if through is not None and other is not None and other is not option and other.outcome.paths.through_store:
        theirs = other.outcome.paths.through_store
        sentence = f"From module through store to home {through:.1%}; the other coupling {theirs:.1%}."
        found.append((through >= theirs, "use_own_power", sentence))
    now = _other(options, AS_IS if option.ground.now else AC_ADDON) or _other(options, AC_BUS)
    clipped_now = now.outcome.figures.clipped_kwh if now else 0.0
    if option.design.coupling == "DC" and clipped_now >= WORTH_SAYING_KWH:
        caught = clipped_now - outcome.figures.clipped_kwh
        if caught > 0:
            sentence = f"Clipping falls from {clipped_now:,.0f} to {outcome.figures.clipped_kwh:,.0f} kWh a year."
            found.append((True, "use_own_power", sentence))
    elif option.design.coupling == "AC" and clipped_now >= WORTH_SAYING_KWH:
        sentence = f"None of the {clipped_now:,.0f} kWh clipped a year is caught: it ends before the store."
        found.append((False, "use_own_power", sentence))
    return found


def _yield(option, options):
    """What the same modules give under another kind of electronics."""
    offered = option.outcome.figures.pv_dc_kwh
    others = [item for item in options if item is not option and item.outcome.figures.pv_dc_kwh > 0]
    micro = option.design.key == MICRO_AC
    rivals = [item for item in others if (item.design.key == MICRO_AC) != micro]
    if not rivals or offered <= 0 or not (micro or any(item.design.key == MICRO_AC for item in rivals)):
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


def _second_unit(option, options, job):
    """A unit more adds energy and power; the figures of the option with one unit less stand beside it."""
    one = _other(options, AC_ADDON) or _other(options, AC_BUS)
    if option.design.key != TWO_UNITS or one is None:
        return []
    now, before = option.outcome, one.outcome
    sentence = (
        f"A second unit adds energy and power: {before.limit.power_kw:.1f} to {now.limit.power_kw:.1f} kW; "
        "a bare expansion would add energy only."
    )
    more = now.money.saving - before.money.saving
    extra = now.money.outlay - before.money.outlay
    found = [(True, "ride_through_outage", sentence)]
    if more > 0:
        years = years_text(extra / more)
        told = f"The second unit alone costs {money_text(job, extra)} and takes {years} to pay for itself."
        found.append((False, "low_outlay", told))
    return found


def _clock(option):
    """A store that sees no meter charges and gives at the wrong times too."""
    if option.design.key != CLOCK_BANK:
        return []
    box = option.design.store_box
    year = option.outcome.year
    number = option.design.boxes.index(box)
    level = year.of("store", number).reshape(365, -1) / year.plant[number].battery.usable_kwh
    full = int((level.max(axis=1) > FULL).sum())
    sentence = f"Charged by the clock in the sun hours, it is full on {full} days; lead-acid wants all of them."
    blind = "It sees no meter: on dark days it charges from the street, and gives when nobody asks."
    return [(full >= 300, "low_outlay", sentence), (False, "lower_bills", blind)]
