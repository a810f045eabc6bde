"""What stands on the wall and the roof today, and what of it stays."""

from calm_relay.job.equipment import Microinverter
from calm_relay.job.model import Job
from calm_relay.planning.architecture.design import Converter, Survey
from calm_relay.planning.common.errors import PlanError
from calm_relay.planning.equipment.bank import Bank
from calm_relay.planning.equipment.equipment import Equipment
from calm_relay.planning.site.array import Face
from calm_relay.planning.strings.stringing import LAID, Stringing, StringRun, surveyed_strings


def existing_converters(survey: Survey) -> tuple[Converter, ...]:
    """The units there today with the roof's strings and the existing battery.

    Raises
    ------
    PlanError
        When the inverter takes no modules, or a battery has no unit that takes it.
    """
    there = tuple(face for face in survey.faces if face.plan.is_there)
    return staying_converters(survey, there, as_wired=True, with_battery=True)


def battery_stays(job: Job) -> bool:
    """Whether the existing battery, if there is one, is part of what comes."""
    return job.existing_battery is None or job.old_battery.fate != "remove"


def staying_converters(
    survey: Survey, faces: tuple[Face, ...], *, as_wired: bool, with_battery: bool
) -> tuple[Converter, ...]:
    """Inverter, microinverters and existing battery with some of the faces.

    `as_wired` says that the strings are those of the survey; else new faces are laid beside them.
    """
    job, equipment = survey.job, survey.equipment
    converters = []
    micros = micro_faces(survey, faces)
    plain = tuple(face for face in faces if face not in micros)
    if job.existing_inverter is not None:
        inverter = equipment.inverter(job.existing_inverter.inverter, "existing_inverter.inverter")
        if inverter.pv is None:
            raise PlanError("existing_inverter.inverter", f"{inverter.name} has no PV inputs; wanted one that has")
        by_hand = job.string_plan(inverter.key) is not None
        if as_wired and not by_hand and not survey.optimisers:
            strings = surveyed_strings(plain, inverter)
        else:
            there = frozenset(face.plan.name for face in plain if face.plan.is_there)
            strings = survey.lay(inverter, plain, there)
        bank = None
        if with_battery and job.existing_battery and job.old_battery.inverter is None:
            bank = _old_bank(job, equipment)
            if inverter.battery is None:
                raise PlanError(
                    "existing_battery.inverter", f"{inverter.name} carries no battery; wanted its own unit"
                )
        converters.append(
            Converter(inverter, strings, bank, is_new=False, age_years=job.existing_inverter.age_years)
        )
    converters += [micro_converter(face, micro, is_new=False) for face, micro in micros.items()]
    if with_battery and job.existing_battery and job.old_battery.inverter is not None:
        inverter = equipment.inverter(job.old_battery.inverter, "existing_battery.inverter")
        if inverter.battery is None:
            raise PlanError(
                "existing_battery.inverter", f"{inverter.name} has no battery port; wanted one that has"
            )
        age = job.old_battery.age_years
        converters.append(Converter(inverter, held=_old_bank(job, equipment), is_new=False, age_years=age))
    return tuple(converters)


def _old_bank(job: Job, equipment: Equipment) -> Bank:
    return Bank(
        equipment.pack(job.old_battery.pack, "battery.pack"),
        job.old_battery.count,
        job.old_battery.health,
    )


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


def micro_converter(face: Face, micro: Microinverter, *, is_new: bool) -> Converter:
    """A face whose every module has a microinverter."""
    inverter = micro.inverter(face.plan.count)
    run = StringRun(face, 1, face.plan.count, inverter.pv_side.trackers[0], 1)
    age = 0.0 if is_new else face.plan.age_years
    return Converter(inverter, Stringing((run,), (), LAID), is_new=is_new, age_years=age, micro=micro)
