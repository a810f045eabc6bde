"""What stands on the wall and the roof today, and what of it stays."""

from collections.abc import Mapping

from calm_relay.job.equipment import Inverter, Microinverter
from calm_relay.job.survey import ExistingBattery, ExistingInverter
from calm_relay.planning.architecture.design import Converter, Survey
from calm_relay.planning.common.errors import PlanError
from calm_relay.planning.equipment.bank import Bank, health_of
from calm_relay.planning.equipment.equipment import Equipment
from calm_relay.planning.site.array import Face
from calm_relay.planning.strings.stringing import LAID, Stringing, StringRun, surveyed_strings


def existing_converters(survey: Survey) -> tuple[Converter, ...]:
    """The units there today with the roof's strings and the existing batteries.

    Raises
    ------
    PlanError
        When an inverter takes no modules and carries no battery, or a battery has no unit that takes it.
    """
    there = tuple(face for face in survey.faces if face.plan.is_there)
    return _standing(survey, there, all_of_today=True, wiring={})


def staying_converters(
    survey: Survey, faces: tuple[Face, ...], *, wiring: Mapping[str, str] | None = None
) -> tuple[Converter, ...]:
    """Inverters, microinverters and batteries that the survey does not let go, with some of the faces.

    Strings are those of the survey; new faces are laid beside them. `wiring` names the existing inverter of faces that
    hang on another one than the survey says.
    """
    return _standing(survey, faces, all_of_today=False, wiring=wiring or {})


def _standing(
    survey: Survey, faces: tuple[Face, ...], *, all_of_today: bool, wiring: Mapping[str, str]
) -> tuple[Converter, ...]:
    job = survey.job
    micros = micro_faces(survey, faces)
    plain = tuple(face for face in faces if face not in micros)
    batteries = [item for item in job.existing_batteries if all_of_today or not item.goes]
    carried = {job.wired_to(item): item for item in batteries if item.inverter is None}
    robbed = {job.wired_to(item) for item in job.existing_batteries if item.inverter is None} - carried.keys()
    converters = []
    for number, unit in enumerate(job.existing_inverters):
        # A battery inverter whose battery goes has nothing left to do.
        idle = unit.name in robbed and _takes_no_modules(survey, number)
        if all_of_today or not (unit.goes or idle):
            mine = tuple(
                face for face in plain if wiring.get(face.plan.name, job.wired_to(face.plan)) == unit.name
            )
            converters.append(_existing_unit(survey, number, mine, carried.get(unit.name)))
    converters += [micro_converter(face, micro) for face, micro in micros.items()]
    converters += [_battery_unit(survey, item) for item in batteries if item.inverter is not None]
    return tuple(converters)


def _takes_no_modules(survey: Survey, number: int) -> bool:
    """Whether an existing inverter is there for a battery alone."""
    key = survey.job.existing_inverters[number].inverter
    return survey.equipment.inverter(key, f"existing_inverters.{number}.inverter").pv is None


def _existing_unit(
    survey: Survey, number: int, faces: tuple[Face, ...], battery: ExistingBattery | None
) -> Converter:
    """An existing inverter with its strings and the battery on it."""
    job, equipment = survey.job, survey.equipment
    unit = job.existing_inverters[number]
    field = f"existing_inverters.{number}.inverter"
    inverter = equipment.inverter(unit.inverter, field)
    if inverter.pv is None and inverter.battery is None:
        raise PlanError(field, f"{inverter.name} has no PV inputs and no battery port; wanted one that has")
    if inverter.pv is None and (faces or battery is None):
        wanted = "a battery on it, or one that has" if battery is None and not faces else "one that has"
        raise PlanError(field, f"{inverter.name} has no PV inputs; wanted {wanted}")
    bank = None
    if battery is not None:
        bank = old_bank(battery, equipment)
        if inverter.battery is None:
            place = job.existing_batteries.index(battery)
            raise PlanError(
                f"existing_batteries.{place}.inverter", f"{inverter.name} carries no battery; wanted its own unit"
            )
    alike = sum(item.inverter == unit.inverter for item in job.existing_inverters[: number + 1])
    by_hand = job.string_plan(inverter.key, alike) is not None
    strings = None
    if inverter.pv is not None:
        there = frozenset(face.plan.name for face in faces if face.plan.is_there)
        if len(there) == len(faces) and not by_hand and survey.optimisers.keys().isdisjoint(there):
            strings = surveyed_strings(faces, inverter)
        else:
            strings = survey.lay(inverter, faces, there, alike)
    return Converter(
        inverter,
        strings,
        bank,
        is_new=False,
        age_years=unit.age_years,
        surveyed=unit,
        battery_surveyed=battery,
        alike=alike,
        found_on=_found_on(survey, unit, inverter),
    )


def _battery_unit(survey: Survey, battery: ExistingBattery) -> Converter:
    """An existing battery on a unit of its own."""
    number = survey.job.existing_batteries.index(battery)
    field = f"existing_batteries.{number}.inverter"
    assert battery.inverter is not None, "it is on a unit of its own"
    inverter = survey.equipment.inverter(battery.inverter, field)
    if inverter.battery is None:
        raise PlanError(field, f"{inverter.name} has no battery port; wanted one that has")
    bank = old_bank(battery, survey.equipment)
    return Converter(
        inverter,
        held=bank,
        is_new=False,
        age_years=battery.age_years,
        battery_surveyed=battery,
        found_on=_found_on(survey, battery, inverter),
    )


def _found_on(survey: Survey, item: ExistingInverter | ExistingBattery, inverter: Inverter) -> int | None:
    """The phase that the survey found a unit on; None where it could be no other or none is said."""
    one_of_three = survey.job.supply.circuit.has_three_phases and inverter.phases == "single"
    return item.phase if one_of_three else None


def old_bank(battery: ExistingBattery, equipment: Equipment) -> Bank:
    """An existing battery's packs, with what they still hold."""
    pack = equipment.pack(battery.pack, "battery.pack")
    return Bank(pack, battery.count, health_of(battery, Bank(pack, battery.count).usable_kwh))


def micro_faces(survey: Survey, faces: tuple[Face, ...]) -> dict[Face, Microinverter]:
    """Which of the faces have microinverters under their modules, and which kind."""
    result = {}
    for face in faces:
        if face.plan.electronics is not None:
            number = survey.job.faces.index(face.plan)
            item = survey.equipment.under_module(face.plan.electronics, f"faces.{number}.electronics")
            if isinstance(item, Microinverter):
                result[face] = item
    return result


def micro_converter(face: Face, micro: Microinverter) -> Converter:
    """A face whose every module has a microinverter."""
    is_new = not face.plan.is_there
    inverter = micro.inverter(face.plan.count)
    run = StringRun(face, 1, face.plan.count, inverter.pv_side.trackers[0], 1)
    age = 0.0 if is_new else face.plan.age_years
    on = None if is_new or inverter.phases != "single" else face.plan.phase
    return Converter(inverter, Stringing((run,), (), LAID), is_new=is_new, age_years=age, micro=micro, found_on=on)
