"""What stands on the wall and the roof today, and what of it stays."""

from calm_relay.job.equipment import Microinverter
from calm_relay.planning.architecture.design import Box, Survey
from calm_relay.planning.common.errors import PlanError
from calm_relay.planning.equipment.bank import Bank
from calm_relay.planning.site.array import Face
from calm_relay.planning.strings.stringing import LAID, Stringing, StringRun, surveyed_strings


def boxes_now(survey: Survey) -> tuple[Box, ...]:
    """The boxes there today with the roof's strings and the existing battery.

    Raises
    ------
    PlanError
        When the inverter takes no modules, or a battery has no box that takes it.
    """
    there = tuple(face for face in survey.faces if face.plan.is_there)
    return standing(survey, there, as_wired=True, with_battery=True)


def battery_stays(job) -> bool:
    """Whether the existing battery, if there is one, is part of what comes."""
    return job.battery is None or job.battery.fate != "remove"


def standing(survey: Survey, faces: tuple[Face, ...], *, as_wired: bool, with_battery: bool) -> tuple[Box, ...]:
    """Inverter, microinverters and existing battery with some of the faces.

    `as_wired` says that the strings are those of the survey; else new faces are laid beside them.
    """
    job, kit = survey.job, survey.kit
    boxes = []
    micros = micro_faces(survey, faces)
    plain = tuple(face for face in faces if face not in micros)
    if job.inverter is not None:
        converter = kit.converter(job.inverter.converter, "inverter.converter")
        if converter.pv is None:
            raise PlanError("inverter.converter", f"{converter.name} has no PV inputs; wanted one that has")
        by_hand = job.string_plan(converter.key) is not None
        if as_wired and not by_hand and not survey.optimisers:
            strings = surveyed_strings(plain, converter)
        else:
            there = frozenset(face.plan.name for face in plain if face.plan.is_there)
            strings = survey.lay(converter, plain, there)
        bank = None
        if with_battery and job.battery and job.battery.converter is None:
            bank = _old_bank(job, kit)
            if converter.battery is None:
                raise PlanError("battery.converter", f"{converter.name} carries no battery; wanted its own box")
        boxes.append(Box(converter, strings, bank, is_new=False, age_years=job.inverter.age_years))
    boxes += [micro_box(face, micro, is_new=False) for face, micro in micros.items()]
    if with_battery and job.battery and job.battery.converter is not None:
        converter = kit.converter(job.battery.converter, "battery.converter")
        if converter.battery is None:
            raise PlanError("battery.converter", f"{converter.name} has no battery port; wanted one that has")
        age = job.battery.age_years
        boxes.append(Box(converter, bank=_old_bank(job, kit), is_new=False, age_years=age))
    return tuple(boxes)


def _old_bank(job, kit):
    return Bank(kit.pack(job.battery.pack, "battery.pack"), job.battery.count, job.battery.health)


def micro_faces(survey: Survey, faces: tuple[Face, ...]) -> dict[Face, Microinverter]:
    """Which of the faces have microinverters under their modules, and which kind."""
    found = {}
    for face in faces:
        if face.plan.electronics is not None:
            number = survey.job.faces.index(face.plan)
            item = survey.kit.under_module(face.plan.electronics, f"faces.{number}.electronics")
            if isinstance(item, Microinverter):
                found[face] = item
    return found


def micro_box(face: Face, micro: Microinverter, *, is_new: bool) -> Box:
    """A face whose every module has a microinverter."""
    converter = micro.converter(face.plan.count)
    run = StringRun(face, 1, face.plan.count, converter.pv.trackers[0], 1)
    age = 0.0 if is_new else face.plan.age_years
    return Box(converter, Stringing((run,), (), LAID), is_new=is_new, age_years=age, micro=micro)
