"""What several architectures are put together from: the AC-coupled unit, the inverter that takes the roof."""

from collections import Counter
from collections.abc import Iterator
from dataclasses import replace
from typing import Any

from calm_relay.job.equipment import Inverter, Pack
from calm_relay.planning.architecture.design import Architecture, Converter, Design, DesignContext, Refusal
from calm_relay.planning.architecture.existing_system import micro_converter, micro_faces, staying_converters
from calm_relay.planning.architecture.pick import Search, pick
from calm_relay.planning.architecture.refusals import battery_refusals, site_refusals, units_refusals
from calm_relay.planning.architecture.unbalance import excess_kw
from calm_relay.planning.common.joined import counted, joined
from calm_relay.planning.equipment.bank import Bank, discharge_ac_kw
from calm_relay.planning.site.array import Face
from calm_relay.planning.strings.stringing import PLANNED, Stringing, hard_refusals

# Array over AC rating up to which a size is taken when the planner chooses: common practice, no source.
USUAL_RATIO = 1.35
# More string inverters than this on one roof are planned as two jobs.
MOST_INVERTERS = 6
# In more parts than this no face is parted between inverters.
MOST_PARTS = 3


def battery_inverter_of(
    context: DesignContext, beside: tuple[Converter, ...]
) -> tuple[Converter | None, tuple[str, ...]]:
    """The AC-coupled unit, or units side by side, for the new battery beside others; or why there is none."""
    job, bank = context.job, context.bank

    def refusals(inverter: Inverter) -> list[str]:
        return units_refusals(inverter, bank.units) or battery_refusals(bank, side_by_side(context, inverter), job)

    inverter, reasons = pick(
        context,
        Search(
            job.battery.battery_inverter,
            "battery.battery_inverter",
            lambda inverter: inverter.pv is None and not inverter.plug_in,
            refusals,
            refusals,
            lambda inverter: discharge_ac_kw(bank, side_by_side(context, inverter))[0],
            _wanted_kw(context),
            lambda inverter: excess_kw(context, side_by_side(context, inverter), beside),
        ),
    )
    return (None, reasons) if inverter is None else (Converter(side_by_side(context, inverter), held=bank), ())


def side_by_side(context: DesignContext, inverter: Inverter) -> Inverter:
    """The units that the job wants side by side as one."""
    return inverter.on_phases(context.bank.units, context.job.supply.phases)


def _wanted_kw(context: DesignContext) -> float:
    """The worst evening; off grid also what the arrays on the bus ask of the inverter that forms it."""
    peak_kw = context.demand.evening_peak_kw
    if context.job.supply.on_grid:
        return peak_kw
    return max(peak_kw, sum(face.rated_kw for face in context.survey.faces_then) / USUAL_RATIO)


def hybrid_of(
    context: DesignContext, faces: tuple[Face, ...], wanted_kw: float
) -> tuple[Inverter | None, tuple[str, ...]]:
    """The hybrid, or hybrids side by side, for the new battery and some faces, possibly none; or why there is none."""
    stays = tuple(staying_beside(context, faces))

    def refusals(inverter: Inverter) -> list[str]:
        return hybrid_refusals(context, inverter)

    inverter, reasons = pick(
        context,
        Search(
            stated_hybrid(context, charge_controllers=False),
            "battery.hybrid",
            lambda item: item.pv is not None and item.battery is not None and not item.charge_controllers,
            refusals,
            lambda inverter: (
                refusals(inverter) + array_refusals(context, side_by_side(context, inverter), faces, True)
            ),
            lambda inverter: side_by_side(context, inverter).ac_kw,
            wanted_kw,
            lambda inverter: excess_kw(context, side_by_side(context, inverter), stays),
            lambda inverter: (
                context.survey.lay(side_by_side(context, inverter), faces, fixed(faces)).homeless if faces else 0
            ),
        ),
    )
    return (None, reasons) if inverter is None else (side_by_side(context, inverter), ())


def stated_hybrid(context: DesignContext, *, charge_controllers: bool) -> str | None:
    """Key of the hybrid that the job states, if it is of this kind."""
    key = context.job.battery.hybrid
    if key is None:
        return None
    return (
        key if context.equipment.inverter(key, "battery.hybrid").charge_controllers == charge_controllers else None
    )


def hybrid_refusals(context: DesignContext, inverter: Inverter) -> list[str]:
    """Reasons why a unit cannot carry the new battery and modules."""
    reasons = units_refusals(inverter, context.bank.units)
    reasons = reasons or battery_refusals(context.bank, side_by_side(context, inverter), context.job)
    return reasons if inverter.pv else [*reasons, f"{inverter.name} has no PV inputs"]


def array_refusals(
    context: DesignContext, inverter: Inverter, faces: tuple[Face, ...], with_battery: bool
) -> list[str]:
    """Reasons why faces cannot hang on an inverter."""
    if inverter.pv is None or not faces:
        return []
    strings = context.survey.lay(inverter, faces, fixed(faces))
    reasons = hard_refusals(
        Stringing(strings.runs, (), strings.origin, strings.faults),
        context.temperatures,
        context.survey.site_limit,
    )
    if not strings.runs:
        reasons += [f"{item.face.plan.name} on {inverter.name}: {item.reason}" for item in strings.left_out]
        plane = [face.plan.name for face in faces if faces[0].plan.is_one_plane_with(face.plan)]
        if len(plane) > 1:
            reasons.append(f"{joined(plane)} are one plane: stated as one face, they share strings")
    array_kw = sum(run.kw for run in strings.runs)
    allowed = inverter.pv.ratio_max_with_battery if with_battery else inverter.pv.ratio_max
    ratio = array_kw / inverter.ac_kw
    if ratio > allowed + 1e-9:
        reasons.append(f"{array_kw:.2f} kWp is {ratio:.2f} times {inverter.name}; its maker allows {allowed:.2f}")
    return reasons


def string_inverter(
    context: DesignContext, faces: tuple[Face, ...], stays: tuple[Converter, ...]
) -> tuple[Inverter | None, tuple[str, ...]]:
    """A string inverter for some faces beside what stays, or the reasons why there is none."""
    array_kw = sum(face.rated_kw for face in faces)

    def refusals(inverter: Inverter) -> list[str]:
        reasons = site_refusals(inverter, context.job)
        return reasons if inverter.pv else [*reasons, f"{inverter.name} has no PV inputs"]

    return pick(
        context,
        Search(
            context.job.battery.string_inverter,
            "battery.string_inverter",
            lambda inverter: inverter.pv is not None and inverter.battery is None and not inverter.plug_in,
            refusals,
            lambda inverter: refusals(inverter) + array_refusals(context, inverter, faces, False),
            lambda inverter: inverter.ac_kw,
            array_kw / USUAL_RATIO,
            lambda inverter: excess_kw(context, inverter, stays),
            lambda inverter: context.survey.lay(inverter, faces, fixed(faces)).homeless,
        ),
    )


def string_inverters(
    context: DesignContext, faces: tuple[Face, ...]
) -> tuple[tuple[Converter, ...], tuple[str, ...]]:
    """New string inverters for some faces: one where it takes them all, else as few as do; or why there are none.

    Where no inverter takes the roof, a face too large for one is parted between several. Which they are does not depend
    on strings laid by hand, but for one that so takes all: those are laid on theirs.
    """
    free = context.without_string_plans()
    stays = tuple(staying_beside(free, faces))
    inverter, first = string_inverter(free, faces, stays)
    if inverter is not None:
        one = Converter(inverter, free.survey.lay(inverter, faces, fixed(faces)))
        by_hand = _laid_by_hand(context, (one,))
        if len(faces) < 2 or not one.stringing.homeless or not by_hand[0].stringing.homeless:
            return by_hand, ()
    most = min(len(faces), MOST_INVERTERS)
    for count in range(2, (most if inverter is not None else max(most, MOST_PARTS)) + 1):
        apart = [_on_one_of_its_own(free, group, faces, stays) for group in _shared_out(faces, count)]
        whole = tuple(converter for converter in apart if converter is not None)
        if len(whole) == count:
            return _laid_by_hand(context, whole), ()
    return (by_hand, ()) if inverter is not None else ((), first)


def _on_one_of_its_own(
    context: DesignContext, faces: tuple[Face, ...], whole: tuple[Face, ...], stays: tuple[Converter, ...]
) -> Converter | None:
    """A new inverter with all modules of some faces, or parts of the `whole` ones; None where none takes them."""
    inverter, _ = string_inverter(context, faces, stays)
    if inverter is None:
        return None
    strings = context.survey.lay(inverter, faces, fixed(faces))
    if strings.homeless:
        return None
    named = {face.plan.name: face for face in whole}
    runs = tuple(replace(run, face=named[run.face.plan.name]) for run in strings.runs)
    return Converter(inverter, replace(strings, runs=runs))


def _shared_out(faces: tuple[Face, ...], count: int) -> list[tuple[Face, ...]]:
    """Faces in so many groups of about the same power: the largest first, each to the group that has least.

    Where there are fewer faces than groups, the one with most modules is parted until there are as many, as far as its
    strings are free and no box is under its modules; empty where that cannot be.
    """
    parts = list(faces)
    while len(parts) < count:
        free = [face for face in parts if face.plan.fate != "keep" and face.plan.electronics is None]
        if not free:
            return []
        largest = max(free, key=lambda face: face.plan.count)
        alike = sum(face.plan.name == largest.plan.name for face in parts)
        parts = [face for face in parts if face.plan.name != largest.plan.name]
        (entire,) = (face for face in faces if face.plan.name == largest.plan.name)
        if entire.plan.count <= alike:
            return []
        parts += _parts(entire, alike + 1)
    groups: list[list[Face]] = [[] for _ in range(count)]
    for face in sorted(parts, key=lambda face: -face.rated_kw):
        min(groups, key=lambda group: sum(item.rated_kw for item in group)).append(face)
    return [tuple(face for face in parts if any(face is item for item in group)) for group in groups]


def _parts(face: Face, count: int) -> list[Face]:
    """A face in parts of about as many modules, each with the year of the whole face: strings are laid by modules."""
    each, more = divmod(face.plan.count, count)
    sizes = [each + (number < more) for number in range(count)]
    return [replace(face, plan=face.plan.model_copy(update={"count": size})) for size in sizes]


def _laid_by_hand(context: DesignContext, converters: tuple[Converter, ...]) -> tuple[Converter, ...]:
    """New inverters with their strings, those of one kind counted; strings laid by hand are laid on theirs."""
    counted: list[Converter] = []
    for converter in converters:
        before = sum(item.inverter.key == converter.inverter.key for item in counted)
        alike = context.survey.first_new(converter.inverter) + before
        plan = context.job.string_plan(converter.inverter.key, alike)
        if plan is not None:
            named = {string.face for string in plan.strings}
            hung = dict.fromkeys(face for item in converters for face in item.hung)
            faces = tuple(face for face in hung if face in converter.hung or face.plan.name in named)
            strings = context.survey.lay(converter.inverter, faces, frozenset(), alike)
            converter = replace(converter, laid=strings)
        counted.append(replace(converter, alike=alike))
    return (
        _each_module_once(counted) if any(unit.stringing.origin == PLANNED for unit in counted) else tuple(counted)
    )


def _each_module_once(units: list[Converter]) -> tuple[Converter, ...]:
    """Units some of whose strings are laid by hand: modules that hang on another are not left out, nor hung twice."""
    held = Counter[str]()
    for run in (run for unit in units for run in unit.stringing.runs):
        held[run.face.plan.name] += run.modules
    told: set[str] = set()
    result = []
    for unit in units:
        strings, left, faults = unit.stringing, [], list(unit.stringing.faults)
        for item in strings.left_out:
            name = item.face.plan.name
            missing = item.face.plan.count - held[name]
            if missing > 0 and name not in told:
                left.append(replace(item, modules=missing))
            told.add(name)
        if strings.origin == PLANNED:
            for face in unit.faces:
                name, most = face.plan.name, face.plan.count
                own = sum(run.modules for run in strings.runs if run.face is face)
                if own <= most < held[name]:
                    faults.append(f"{name} holds {most} modules, the strings of all units ask for {held[name]}")
        result.append(replace(unit, laid=replace(strings, left_out=tuple(left), faults=tuple(faults))))
    return tuple(result)


def staying_beside(context: DesignContext, faces: tuple[Face, ...]) -> Iterator[Converter]:
    """What stays beside a unit that takes the rest of the roof: what the survey keeps, microinverters, batteries."""
    for face, micro in micro_faces(context.survey, faces).items():
        yield micro_converter(face, micro)
    for converter in context.now:
        if converter.micro is not None:
            continue
        parts = (converter.surveyed, converter.battery_surveyed)
        if converter.is_battery_unit and not any(part.goes for part in parts if part is not None):
            yield converter
        elif converter.surveyed is not None and converter.surveyed.stays:
            yield _without_what_goes(context, converter)


def _without_what_goes(context: DesignContext, converter: Converter) -> Converter:
    """A unit that stays, without the modules and the battery that the survey lets go."""
    kept = staying_converters(context.survey, context.survey.faces_then)
    return next(item for item in kept if item.is_the_same(converter))


def displaced(context: DesignContext, beside: tuple[Converter, ...]) -> tuple[Face, ...]:
    """Faces to come that hang on none of the units that stay, and have no microinverters."""
    taken = {face.plan.name for converter in beside for face in converter.hung}
    return tuple(face for face in plain_faces(context) if face.plan.name not in taken)


def plain_faces(context: DesignContext) -> tuple[Face, ...]:
    """Faces to come without microinverters under their modules."""
    faces = context.survey.faces_then
    micros = micro_faces(context.survey, faces)
    return tuple(face for face in faces if face not in micros)


def fixed(faces: tuple[Face, ...]) -> frozenset[str]:
    """Names of the faces whose strings stay as they are wired."""
    return frozenset(face.plan.name for face in faces if face.plan.fate == "keep")


def new_hybrid(context: DesignContext, inverter: Inverter, faces: tuple[Face, ...], bank: Bank) -> Converter:
    """A new unit with a battery and the strings of some faces, none where there are none."""
    strings = context.survey.lay(inverter, faces, fixed(faces)) if faces else None
    return Converter(inverter, strings, bank, alike=context.survey.first_new(inverter))


def with_bank(context: DesignContext, **changes: Any) -> DesignContext:
    """The context with fields of its bank changed."""
    return replace(context, bank=replace(context.bank, **changes))


def of_kind(kind: Pack, context: DesignContext) -> list[Bank]:
    """So many packs of a kind that is there as hold what the job wants, then fewer; none where they are withheld.

    What the job names is on offer to it whatever the firm stocks, so that what is there can be planned with.
    """
    if ("packs", kind.key) in context.equipment.library.withheld or kind.expansion_of is not None:
        return []
    nearest = max(round(context.bank.nominal_kwh / kind.nominal_kwh), 1)
    return [Bank(kind, count) for count in range(nearest, 0, -1)]


def coupled_on_ac(context: DesignContext, architecture: Architecture) -> Design | Refusal:
    """String inverters and the battery's own unit on one AC bus."""
    title = "AC-coupled add-on" if context.now else "String inverter + AC battery"
    side, missing = arrays_on_ac(context)
    converter, reasons = battery_inverter_of(context, side)
    if converter is None or missing:
        return unbuildable(architecture, title, "AC", *(reasons or missing))
    if not context.survey.faces_then and not context.now:
        title = "Battery alone"
    converters = (*side, converter)
    return Design(architecture, title, "AC", converters, context.leaving(converters))


def arrays_on_ac(context: DesignContext) -> tuple[tuple[Converter, ...], tuple[str, ...]]:
    """What stays, and string inverters for the faces that find no room on it; or why there are none for them."""
    staying, left = _with_room(context)
    new: tuple[Converter, ...] = ()
    if left:
        new, reasons = string_inverters(context, left)
        if not new:
            kept = [item for item in staying if item.surveyed is not None]
            if kept:
                name = kept[0].inverter.name if len(kept) == 1 else "the inverters that stay"
                modules = sum(face.plan.count for face in left)
                names = " and ".join(face.plan.name for face in left)
                finds = "finds" if modules == 1 else "find"
                reasons = (f"{counted(modules, 'module')} of {names} {finds} no place on {name}", *reasons)
            return (), reasons
    units = tuple(item for item in staying if item.surveyed is not None)
    rest = tuple(item for item in staying if item not in units)
    return (*filter(serves, units), *new, *rest), ()


def serves(unit: Converter) -> bool:
    """Whether a unit of today has something on it, or the survey keeps it where it is all the same."""
    kept = unit.surveyed is not None and unit.surveyed.stays
    return kept or unit.has_battery or bool(unit.hung)


def _with_room(context: DesignContext) -> tuple[tuple[Converter, ...], tuple[Face, ...]]:
    """What stays, with the new faces that find room on it, and the faces that need another inverter."""
    survey = context.survey
    units = {item.name: item for item in context.job.existing_inverters if not item.goes}
    wiring: dict[str, str] = {}
    left: list[Face] = []
    for face in plain_faces(context):
        name = context.job.wired_to(face.plan)
        if not (face.plan.is_there and name in units):
            left.append(face)
    there = tuple(face for face in survey.faces_then if face not in left)
    for face in tuple(left):
        wanted = [face.plan.wired_to] if face.plan.wired_to in units and not face.plan.is_there else list(units)
        for name in wanted:
            tried = {**wiring, face.plan.name: name}
            standing = staying_converters(survey, (*there, face), wiring=tried)
            unit = next(item for item in standing if item.surveyed is not None and item.surveyed.name == name)
            if unit.has_strings and _has_room(unit, face):
                wiring, there = tried, (*there, face)
                left.remove(face)
                break
    return staying_converters(survey, there, wiring=wiring), tuple(left)


def _has_room(unit: Converter, face: Face) -> bool:
    """Whether a face finds room on a unit that is there; what is laid by hand is judged where it hangs."""
    if unit.stringing.origin == PLANNED and face in unit.faces:
        return True
    if unit.stringing.left_out:
        return False
    allowed = unit.inverter.pv_side.ratio_max_with_battery if unit.has_battery else unit.inverter.pv_side.ratio_max
    return unit.array_kw <= allowed * unit.inverter.ac_kw + 1e-9


def unbuildable(architecture: Architecture, title: str, coupling: str, *reasons: str) -> Refusal:
    """What cannot be built, with the reasons."""
    return Refusal(architecture, title, coupling, reasons)
