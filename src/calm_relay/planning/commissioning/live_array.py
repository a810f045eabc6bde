"""The modules of a site as they stand in its light: what they say of the sky, and what they should give."""

from collections.abc import Iterable, Sequence
from datetime import datetime
from functools import cached_property
from zoneinfo import ZoneInfo

import numpy as np

from calm_relay.fieldbus.readings import DcInput, InverterReading
from calm_relay.job.commissioning import Conditions, FaceLight
from calm_relay.job.model import RoofFace
from calm_relay.physics.plant.converter import arrays_ac, pack
from calm_relay.planning.commissioning.conditions import ClearSky, Light, clear_sky_on, light_on
from calm_relay.planning.commissioning.strings_now import ModuleGroup, String, faces_in, module_groups, strings_of
from calm_relay.planning.equipment.equipment import loss_curve
from calm_relay.planning.plan import Plan
from calm_relay.planning.site.array import snow_on
from calm_relay.planning.verdict.option import Option

FULL_LIGHT = Light(1000.0, 45.0, 0.0, 0.0, 1000.0, "full sun")
# Most that the edge of a cloud and snow on the ground add up to [W/m2].
BRIGHTEST = 1600.0
# Share of its rating from which a unit may be held by it.
AT_LIMIT = 0.97
# Share that snow takes of a month from which it is asked about.
SNOWY = 0.05

SkyRow = tuple[float, float, float]


class LiveArray:
    """Strings, modules with electronics of their own, and the faces of an option.

    Parameters
    ----------
    plan : Plan
        Whose site, year and snow they stand in.
    option : Option
        Whose modules they are.
    """

    def __init__(self, plan: Plan, option: Option) -> None:
        self._plan, self._units = plan, option.design.converters
        self._strings = strings_of(option.design)
        self._groups = module_groups(option.design)
        self._faces = tuple(faces_in(plan, option.design).values())

    def on_input(self, unit: int, place: int) -> list[String]:
        """Strings without electronics on an input of a unit."""
        return [string for string in self._strings if string.unit == unit and string.input == place]

    def skies(self, utc: datetime) -> dict[str, ClearSky]:
        """A clear sky on each face, naive UTC."""
        return {face.plan.name: clear_sky_on(self._plan, face.plan, utc) for face in self._faces}

    def lights(self, beam: float, diffuse: float, skies: dict[str, ClearSky], utc: datetime) -> dict[str, Light]:
        """Light on each face under shares of a clear sky's beam and of its diffuse light."""
        found = {}
        for face in self._faces:
            sky = skies[face.plan.name]
            irradiance = min(beam * sky.beam + diffuse * sky.diffuse, BRIGHTEST)
            found[face.plan.name] = self._light(face.plan, irradiance, utc)
        return found

    def _light(self, face: RoofFace, irradiance: float, utc: datetime) -> Light:
        shown = Conditions(light=(FaceLight(face=face.name, irradiance=irradiance),))
        return light_on(self._plan, face, shown, utc)

    def sky_rows(
        self, unit: int, inverter: InverterReading, skies: dict[str, ClearSky], utc: datetime
    ) -> list[SkyRow]:
        """What a unit says of the sky, as `live_judgement.sky_of` takes it, input by input."""
        rows = []
        for place, item in inputs_by_number(inverter):
            mine = self.on_input(unit, place)
            if mine and item.amps is not None:
                per_w = sum(string.points(FULL_LIGHT).imp for string in mine) / FULL_LIGHT.irradiance
                parts = [skies[string.face.name] for string in mine]
                beam = sum(part.beam for part in parts) / len(parts)
                diffuse = sum(part.diffuse for part in parts) / len(parts)
                rows.append((beam * per_w, diffuse * per_w, item.amps))
        return [*rows, *self._rows_of_modules(unit, inverter, skies, utc)]

    def _rows_of_modules(
        self, unit: int, inverter: InverterReading, skies: dict[str, ClearSky], utc: datetime
    ) -> list[SkyRow]:
        """The same of modules with electronics of their own, by the mean current of a module.

        Where each has an inverter, by the AC power of all, unless that is at its limit.
        """
        read = {place: item.kw for place, item in inputs_by_number(inverter) if item.kw is not None}
        if inverter.kw is not None and inverter.kw < AT_LIMIT * self._units[unit].inverter.ac_kw:
            read[0] = self.gives(unit, inverter, 0.0)
        rows = []
        for place in sorted({group.input for group in self._groups if group.unit == unit} & read.keys()):
            mine = self._at(unit, place)
            whole = sum(group.rated_w for group in mine)
            beam = diffuse = amps = 0.0
            for group in mine:
                sky, share = skies[group.one.face.name], group.rated_w / whole
                per_w = share * group.one.points(FULL_LIGHT).imp / FULL_LIGHT.irradiance
                beam, diffuse = beam + sky.beam * per_w, diffuse + sky.diffuse * per_w
                amps += share * group.amps(share * read[place], self._light(group.one.face, sky.total, utc))
            rows.append((beam, diffuse, amps))
        return rows

    def gives(self, unit: int, inverter: InverterReading, battery_kw: float) -> float:
        """What a unit's array gives [kW]: by its inputs, or where none is read by what comes out beside its battery."""
        converter = self._units[unit]
        if inverter.inputs or not converter.has_array:
            return sum(item.kw or 0.0 for item in inverter.inputs)
        kw, curve = inverter.kw or 0.0, loss_curve(converter.inverter)
        inside = kw / float(curve.efficiency(kw / converter.inverter.ac_kw)) if kw > 0.0 else kw
        return max(inside - battery_kw, 0.0)

    def makes(self, lights: dict[str, Light]) -> list[float]:
        """What each unit's modules should give in a light [kW]."""
        made = [0.0] * len(self._units)
        for string in self._strings:
            made[string.unit] += string.kw(lights[string.face.name])
        for group in self._groups:
            made[group.unit] += group.kw(lights[group.one.face.name])
        return made

    def offers(self, unit: int, lights: dict[str, Light]) -> float:
        """What a unit makes of that at its AC side [kW]."""
        made = np.array([[self.makes(lights)[unit]]])
        return float(arrays_ac(pack([self._units[unit].part(0.0)]), made)[0, 0])

    def behind(self, unit: int, place: int, lights: dict[str, Light]) -> float:
        """What modules with electronics of their own should give an input of a unit [kW]."""
        return sum(group.kw(lights[group.one.face.name]) for group in self._at(unit, place))

    def faces_of(self, unit: int, place: int) -> list[str]:
        """Faces with modules that have electronics of their own, on an input of a unit; 0: each an inverter."""
        return [group.one.face.name for group in self._at(unit, place)]

    def _at(self, unit: int, place: int) -> list[ModuleGroup]:
        return [group for group in self._groups if group.unit == unit and group.input == place]

    def may_lie_under_snow(self, faces: Iterable[str], at: datetime) -> bool:
        """Whether the plan counts snow on one of some faces in that month."""
        month = at.astimezone(ZoneInfo(self._plan.job.site.time_zone)).month
        return any(self._snow[name][month - 1] >= SNOWY for name in faces)

    @cached_property
    def _snow(self) -> dict[str, np.ndarray]:
        return {face.plan.name: snow_on(self._plan.job, self._plan.site, face) for face in self._faces}


def inputs_by_number(inverter: InverterReading) -> Sequence[tuple[int, DcInput]]:
    """Inputs of a unit by the number in their name; where none is there, by their place."""
    found = []
    for at, item in enumerate(inverter.inputs, 1):
        digits = "".join(sign for sign in item.name if sign.isdecimal())
        found.append((int(digits) if digits and int(digits) < 100 else at, item))
    return found
