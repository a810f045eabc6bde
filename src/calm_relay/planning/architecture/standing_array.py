"""Modules that a survey calls new, but which hang on an inverter that is there today."""

from collections.abc import Mapping

from calm_relay.job.equipment import Catalogue, Inverter, Microinverter, Module
from calm_relay.job.model import Job
from calm_relay.job.survey import ExistingInverter
from calm_relay.planning.strings.limits import NO_SITE_LIMIT, lengths_allowed

# Cells in daylight as long as the place's own are not asked for [degC]: common practice, no source.
USUAL_COLD_C, USUAL_HOT_C = -10.0, 70.0


def bare_inverters(job: Job, equipment: Catalogue) -> tuple[ExistingInverter, ...]:
    """Inverters that are there and on which the survey hangs no face; modules on microinverters hang on none."""
    apart = {item.key for item in equipment.microinverters}
    taken = {job.wired_to(face) for face in job.faces if face.is_there and face.electronics not in apart}
    return tuple(unit for unit in job.existing_inverters if unit.name not in taken)


def strings_there(module: Module, count: int, inverter: Inverter, cold_c: float, hot_c: float) -> int | None:
    """The fewest equal strings in which modules can hang on an inverter; None where they can in none.

    Parameters
    ----------
    module : Module
        Their kind.
    count : int
        How many they are.
    inverter : Inverter
        With its inputs and how many strings each takes.
    cold_c, hot_c : float
        Coldest and hottest cell [degC].
    """
    trackers = inverter.pv.trackers if inverter.pv else ()
    lengths = [lengths_allowed(module, tracker, cold_c, hot_c, NO_SITE_LIMIT) for tracker in trackers]
    for strings in range(1, sum(tracker.strings for tracker in trackers) + 1):
        if count % strings == 0 and any(count // strings in allowed for allowed in lengths):
            return strings
    return None


def hung_there(
    job: Job,
    unit: ExistingInverter,
    inverter: Inverter,
    modules: Mapping[str, Module],
    cold_c: float = USUAL_COLD_C,
    hot_c: float = USUAL_HOT_C,
) -> Job | None:
    """The job with every face that comes hanging on an inverter today; None where it has none, or they do not fit.

    The modules are as old as the inverter, until somebody says otherwise.

    Parameters
    ----------
    job, unit, inverter
        The job, its survey of the inverter, and the inverter's datasheet.
    modules : mapping of str to Module
        By the keys that the faces name.
    cold_c, hot_c : float
        Coldest and hottest cell [degC].
    """
    coming = [face for face in job.faces if not face.is_there]
    counts = [strings_there(modules[face.module], face.count, inverter, cold_c, hot_c) for face in coming]
    places = sum(tracker.strings for tracker in inverter.pv.trackers) if inverter.pv else 0
    strings = [count for count in counts if count is not None]
    if (
        not coming
        or any(face.electronics for face in coming)
        or len(strings) < len(coming)
        or sum(strings) > places
    ):
        return None
    there = iter(strings)
    return job.with_(
        faces=tuple(
            face
            if face.is_there
            else face.with_(
                fate="reuse", wired_to=unit.name, strings=next(there), age_years=face.age_years or unit.age_years
            )
            for face in job.faces
        )
    )


def on_microinverters(job: Job, micro: Microinverter) -> Job:
    """The job with every face that comes lying there today, a microinverter under each of its modules.

    Parameters
    ----------
    job : Job
        With the faces as they were laid.
    micro : Microinverter
        The kind under all of them.
    """
    return job.with_(
        faces=tuple(
            face if face.is_there else face.with_(fate="reuse", electronics=micro.key, strings=1)
            for face in job.faces
        )
    )


def said_to_be_there(job: Job, number: int, fate: str, equipment: Catalogue) -> Job:
    """The job with a face that is on the roof after all: on the inverter of today that carries none, where one does.

    Parameters
    ----------
    job : Job
        As it was.
    number : int
        Of the face among its faces.
    fate : {"keep", "reuse", "remove", "new"}
        What becomes of it.
    equipment : Catalogue
        What the survey may name.

    Raises
    ------
    ValidationError
        The survey names nothing that the face could be on.
    """
    face = job.faces[number]
    takes = {item.key for item in equipment.inverters if item.pv is not None}
    apart = face.electronics in {item.key for item in equipment.microinverters}
    bare = [unit for unit in bare_inverters(job, equipment) if unit.inverter in takes]
    if face.is_there or fate == "new" or apart or face.wired_to is not None or not bare:
        return job.with_face(number, fate=fate)
    unit = bare[0]
    return job.with_face(number, fate=fate, wired_to=unit.name, age_years=face.age_years or unit.age_years)
