"""Each string by itself: where it is, and what it should give in a light."""

from dataclasses import dataclass, replace

from calm_relay.job.equipment import Module
from calm_relay.job.model import RoofFace
from calm_relay.physics.iv_curve import CurvePoints, points_at
from calm_relay.planning.architecture.connections import unit_keys
from calm_relay.planning.architecture.design import Design
from calm_relay.planning.commissioning.conditions import Light
from calm_relay.planning.plan import Plan
from calm_relay.planning.site.array import Face
from calm_relay.planning.strings.limits import rear_gain


@dataclass(frozen=True)
class String:
    """A string of modules on an input: `number` counts from 1 over all units, `beside` those in parallel with it."""

    key: str
    name: str
    unit: int
    input: int
    number: int
    face: RoofFace
    module: Module
    in_series: int
    beside: int
    age_years: float

    def points(self, light: Light, in_series: int | None = None) -> CurvePoints[float]:
        """Its three points in a light [A, V]; of another number of modules where asked for."""
        module = self.module
        made = points_at(
            module.short_circuit_a * rear_gain(module, self.face.mounting),
            module.max_power_a * rear_gain(module, self.face.mounting),
            module.max_power_v,
            module.open_circuit_v,
            isc_per_c=module.isc_per_c,
            vmp_per_c=module.vmp_per_c,
            voc_per_c=module.voc_per_c,
            irradiance=light.irradiance,
            cell_c=light.cell_c,
            in_series=self.in_series if in_series is None else in_series,
        )
        left = (1.0 - module.ageing_per_year) ** self.age_years
        return CurvePoints(float(made.isc * left), float(made.imp * left), float(made.vmp), float(made.voc))

    def kw(self, light: Light) -> float:
        """Its best power in a light [kW]."""
        points = self.points(light)
        return points.vmp * points.imp / 1000.0


def faces_in(plan: Plan, design: Design) -> dict[str, Face]:
    """Faces by name: those of the job, and those that a design brings along."""
    runs = [run for converter in design.converters if converter.laid is not None for run in converter.laid.runs]
    return {face.plan.name: face for face in (*plan.faces, *(run.face for run in runs))}


@dataclass(frozen=True)
class ModuleGroup:
    """Modules of a face on a unit with electronics of their own: `one` of them, and what these leave of its power.

    `input` counts from 1; 0 where each module has an inverter of its own.
    """

    unit: int
    input: int
    one: String
    count: int
    efficiency: float

    @property
    def rated_w(self) -> float:
        """Rated power of all [W]."""
        return self.count * self.one.module.power_w

    def kw(self, light: Light) -> float:
        """Best power of all in a light [kW]."""
        return self.count * self.one.kw(light) * self.efficiency

    def amps(self, kw: float, light: Light) -> float:
        """What a module gives at the volts of a light where all together give so much [A]."""
        return kw * 1000.0 / (self.count * self.efficiency * self.one.points(light).vmp)


def module_groups(design: Design) -> tuple[ModuleGroup, ...]:
    """Modules with electronics of their own, unit by unit."""
    found = []
    for unit, (key, converter) in enumerate(zip(unit_keys(design), design.converters, strict=True)):
        number = 1
        for run in converter.laid.runs if converter.laid is not None else ():
            if run.optimiser is None and converter.micro is None:
                continue
            name, face = f"Module {number} of {converter.name}", run.face.plan
            one = String(f"module {key}/{number}", name, unit, 0, number, face, run.module, 1, 1, face.age_years)
            efficiency = run.optimiser.efficiency if run.optimiser else 1.0
            at = run.tracker_number if converter.micro is None else 0
            found.append(ModuleGroup(unit, at, one, run.modules, efficiency))
            number += run.modules
    return tuple(found)


def modules_of(design: Design, unit: int) -> tuple[String, ...]:
    """Modules of a unit that have electronics of their own, each as a string by itself."""
    key, converter = unit_keys(design)[unit], design.converters[unit]
    groups = [group for group in module_groups(design) if group.unit == unit]
    return tuple(
        replace(
            group.one, key=f"module {key}/{number}", name=f"Module {number} of {converter.name}", number=number
        )
        for group in groups
        for number in range(group.one.number, group.one.number + group.count)
    )


def strings_of(design: Design) -> tuple[String, ...]:
    """Every string without electronics under its modules, unit by unit and input by input.

    Strings of optimisers and modules with inverters of their own are left out: what they show is their electronics'.
    Beside its number a string is called by its face, or by its unit where there are several with strings.
    """
    found: list[String] = []
    number = 0
    strung = [
        unit for unit in design.converters if unit.laid is not None and unit.micro is None and unit.laid.inputs
    ]
    for unit, (key, converter) in enumerate(zip(unit_keys(design), design.converters, strict=True)):
        if converter.laid is None or converter.micro is not None:
            continue
        for item in converter.laid.inputs:
            for run in item.runs:
                # Where there is one unit to look at, what tells most is where on the roof the string lies.
                of = run.face.plan.name if len(strung) == 1 else converter.name
                for _ in range(0 if run.optimiser else run.parallel):
                    number += 1
                    found.append(
                        String(
                            f"string {key}/{item.number}/{number}",
                            f"String {number} on input {item.number}, {of}",
                            unit, item.number, number, run.face.plan, run.module, run.in_series, item.strings,
                            run.face.plan.age_years,
                        )
                    )  # fmt: skip
    return tuple(found)
