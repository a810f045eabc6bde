"""What a design is: units on the wall with strings and battery, and the context that every design of a job shares."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import TYPE_CHECKING, Any, Protocol

import numpy as np

from calm_relay.job.equipment import Backup, Inverter, Microinverter, Optimiser
from calm_relay.job.model import Job, PurposeKind, RoofFace, Supply
from calm_relay.job.quantity import length_text, shown_unit
from calm_relay.job.survey import ExistingBattery, ExistingInverter
from calm_relay.job.wires import WireTables
from calm_relay.physics.plant.parts import ConverterPart
from calm_relay.planning.equipment.bank import Bank, discharge_ac_kw
from calm_relay.planning.equipment.equipment import Equipment, loss_curve
from calm_relay.planning.equipment.rules import Rules
from calm_relay.planning.site.array import DesignTemperatures, Face
from calm_relay.planning.site.demand import DemandYear
from calm_relay.planning.strings.auto_string import lay_strings
from calm_relay.planning.strings.limits import NO_SITE_LIMIT, SiteLimit
from calm_relay.planning.strings.stringing import Stringing, planned_strings

if TYPE_CHECKING:
    from calm_relay.planning.architecture.rapid_shutdown import RapidShutdown


@dataclass(frozen=True)
class Converter:
    """A converter on the wall with what hangs on it; `micro` is set where it stands for units under modules.

    `laid` are its strings and `held` its battery, None where it has none; `added` are the packs that join those already
    there. `surveyed` is what the survey says of a unit that is there, `battery_surveyed` of a battery that is there,
    whatever carries it then. `alike` counts units of one kind, by which strings laid by hand know theirs. `found_on` is
    the phase of three that the survey found a single-phase unit on, None where it says none. `told_by` tells it from
    others of its kind in the same design.
    """

    inverter: Inverter
    laid: Stringing | None = None
    held: Bank | None = None
    is_new: bool = True
    age_years: float = 0.0
    micro: Microinverter | None = None
    added: Bank | None = None
    surveyed: ExistingInverter | None = None
    battery_surveyed: ExistingBattery | None = None
    alike: int = 1
    found_on: int | None = None
    told_by: str = ""

    @property
    def name(self) -> str:
        """What it is called where it is to be found among the others: its kind, and which of its kind it is."""
        return f"{self.inverter.name} ({self.told_by})" if self.told_by else self.inverter.name

    @property
    def has_battery(self) -> bool:
        """Whether it carries a battery."""
        return self.held is not None

    @property
    def bank(self) -> Bank:
        """The battery of a unit that carries one."""
        assert self.held is not None, "it carries a battery"
        return self.held

    @property
    def has_strings(self) -> bool:
        """Whether modules hang on it, or should."""
        return self.laid is not None

    @property
    def stringing(self) -> Stringing:
        """The strings of a unit that modules hang on, or should."""
        assert self.laid is not None, "it has strings"
        return self.laid

    @cached_property
    def gives(self) -> tuple[float, str]:
        """Power on the AC side while its battery discharges [kW], and the name of what limits it."""
        return discharge_ac_kw(self.bank, self.inverter)

    @property
    def backup(self) -> Backup:
        """What a unit that forms a grid can do without one."""
        return self.inverter.outage_output

    @property
    def fills_breakers(self) -> bool:
        """Whether it stands for more microinverters than one breaker carries."""
        micro = self.micro
        return micro is not None and sum(run.modules for run in self.stringing.runs) * micro.ac_a > (
            micro.branch_breaker_a + 1e-9
        )

    @property
    def is_battery_unit(self) -> bool:
        """Whether it is there today for its battery alone, stated with the battery or as an inverter without PV."""
        there = not self.is_new and self.battery_surveyed is not None
        return there and (self.surveyed is None or self.inverter.pv is None)

    @property
    def battery_is_new(self) -> bool:
        """Whether its battery, or a part of it, is yet to be bought."""
        return self.bought_packs is not None

    @property
    def bought_packs(self) -> Bank | None:
        """The packs yet to be bought; None where the battery is there already."""
        if self.added is not None:
            return self.added
        return self.held if self.is_new and self.battery_surveyed is None else None

    @property
    def battery_moves(self) -> bool:
        """Whether its battery, or a part of it, comes to stand in the new place."""
        return self.has_battery and (self.is_new or self.added is not None)

    def is_the_same(self, other: "Converter") -> bool:
        """Whether both are one unit that is there today."""
        if self.is_new or other.is_new:
            return False
        if self.micro is not None or other.micro is not None:
            # By name: a face that is made anew is another object and the same roof.
            names = [[face.plan.name for face in unit.faces] for unit in (self, other)]
            return self.micro is not None and other.micro is not None and names[0] == names[1]
        if self.surveyed is not None or other.surveyed is not None:
            return self.surveyed == other.surveyed
        return self.battery_surveyed == other.battery_surveyed

    @property
    def faces(self) -> tuple[Face, ...]:
        """Roof faces on its trackers, each once."""
        runs = self.laid.runs if self.laid else ()
        return tuple(dict.fromkeys(run.face for run in runs))

    @property
    def hung(self) -> tuple[Face, ...]:
        """Roof faces on its trackers, and those that are to hang there and find no input."""
        left = (item.face for item in self.laid.left_out) if self.laid else ()
        return tuple(dict.fromkeys((*self.faces, *left)))

    @property
    def array_kw(self) -> float:
        """Module power on its trackers [kW]."""
        return sum(run.kw for run in (self.laid.runs if self.laid else ()))

    def usual_phase(self, supply: Supply) -> int:
        """Phase of three that a single-phase unit hangs on as it was found, or as the job hangs such; 0: on all."""
        if self.found_on is not None:
            return self.found_on
        return 0 if self.fills_breakers and not self.is_new else supply.single_on

    def is_counted(self, supply: Supply) -> bool:
        """Whether the network operator counts it: all that can feed the bus, or what has PV terminals."""
        return supply.operator_counts == "every inverter" or self.inverter.pv is not None

    @property
    def stated_as(self) -> str:
        """Field of the job's battery that states such a unit with strings where it is new."""
        return "hybrid" if self.has_battery else "string_inverter"

    @property
    def has_array(self) -> bool:
        """Whether modules hang on it."""
        return self.laid is not None and bool(self.laid.runs)

    def part(self, reserve: float) -> ConverterPart:
        """The inverter as the simulation sees it."""
        pv = self.inverter.pv if self.has_array else None
        return ConverterPart(
            ac_limit_kw=self.inverter.ac_kw,
            pv=pv is not None,
            pv_limit_kw=min(pv.usable_dc_kw, self.stringing.usable_kw) if pv else 0.0,
            tracker_efficiency=pv.tracker_efficiency if pv else 1.0,
            loss=loss_curve(self.inverter),
            standby_kw=self.inverter.standby_w / 1000.0,
            battery=self.held.part(self.inverter, reserve) if self.held else None,
        )


def coordinated(one: Converter, other: Converter) -> bool:
    """Whether two units with batteries are of one kind that its maker lets stand side by side, under one controller."""
    if not (one.has_battery and other.has_battery) or one.has_array or other.has_array:
        return False
    if one.found_on and other.found_on and one.found_on != other.found_on:
        return False
    return one.inverter.key == other.inverter.key and one.inverter.units_max > 1


@dataclass(frozen=True)
class Design:
    """One way to build the job.

    The battery of a design `by_clock` sees no meter; `shutdown` is what a region asks of its strings, None: nothing.
    """

    architecture: "Architecture"
    title: str
    coupling: str
    converters: tuple[Converter, ...] = ()
    removed: tuple[Converter, ...] = ()
    by_clock: bool = False
    shutdown: "RapidShutdown | None" = None

    @cached_property
    def battery_converter(self) -> Converter | None:
        """The inverter that carries the battery under discussion; the existing one where there is no other."""
        with_bank = [converter for converter in self.converters if converter.has_battery]
        return next(
            (converter for converter in with_bank if converter.battery_moves), with_bank[0] if with_bank else None
        )

    @property
    def leader(self) -> Converter:
        """The same of a design with a battery."""
        assert self.battery_converter is not None, "it has a battery"
        return self.battery_converter

    @cached_property
    def together(self) -> tuple[Converter, ...]:
        """The unit under discussion and those that form a grid with it: of one kind, under one controller."""
        lead = self.battery_converter
        if lead is None:
            return ()
        return (lead, *(other for other in self.converters if other is not lead and coordinated(lead, other)))

    @cached_property
    def grid_former(self) -> Inverter:
        """What forms the grid when it is down, as one unit: that of the battery, and what stands with it."""
        members = [member.inverter for member in self.together if member.inverter.backup is not None]
        if len(members) < 2:
            return members[0] if members else self.leader.inverter
        backups = [member.outage_output for member in members]
        whole = backups[0].as_built(
            **{
                name: sum(getattr(backup, name) for backup in backups)
                for name in ("continuous_kw", "surge_kw", "locked_rotor_a", "ac_pv_kw", "branch_breaker_a")
                if getattr(backups[0], name) is not None
            }
        )
        names = [member.name for member in members]
        alike = len(set(names)) == 1
        return members[0].as_built(
            name=f"{len(names)} × {names[0]}" if alike else " and ".join(names),
            ac_kw=sum(member.ac_kw for member in members),
            backup=whole,
        )

    @cached_property
    def forming(self) -> tuple[int, ...]:
        """Numbers of `together`, the leading unit first."""
        members = self.together
        return tuple(
            next(number for number, item in enumerate(self.converters) if item is member) for member in members
        )

    @property
    def pv_converter(self) -> Converter | None:
        """The inverter that carries the array, the first of several."""
        return next(iter(self.pv_converters), None)

    @property
    def pv_converters(self) -> tuple[Converter, ...]:
        """Every unit with PV inputs that modules hang on, or should."""
        return tuple(converter for converter in self.converters if converter.has_strings)

    @cached_property
    def new_converters(self) -> tuple[Converter, ...]:
        """What has to be bought and hung, or bought to join what hangs there."""
        return tuple(converter for converter in self.converters if converter.is_new or converter.added)

    @cached_property
    def strings_moved(self) -> int:
        """Strings with modules that are there already, connected anew to a new inverter."""
        moved = 0
        for unit in self.converters:
            if unit.is_new and unit.has_strings and unit.micro is None:
                runs = [run for run in unit.stringing.runs if run.face.plan.is_there]
                moved += len({run.chain for run in runs if run.chain})
                moved += sum(run.parallel for run in runs if not run.chain)
        return moved

    @cached_property
    def works(self) -> int:
        """Units hung and taken away, and strings connected anew; microinverters count as one unit."""
        new = sum(converter.micro is None for converter in self.new_converters) + any(
            converter.micro for converter in self.new_converters
        )
        return new + len(self.removed) + self.strings_moved

    def taken_down(self, job: Job) -> tuple[RoofFace, ...]:
        """Faces whose modules come off the roof; none where all stays as it is today."""
        if self.architecture.role == "today":
            return ()
        return tuple(face for face in job.faces if not face.will_be_there)

    def phases(self, supply: Supply) -> tuple[int, ...]:
        """Phase that each unit hangs on: 1, 2 or 3 for a single-phase one on three phases, else 0.

        What is there hangs where the survey found it, what carries a battery where the job says, and new arrays behind
        a battery's unit of one phase hang with it: on another they would be off in an outage. Units of new arrays else
        go where least hangs, the largest first; more microinverters than one breaker carries hang on all three.
        """
        if not supply.circuit.has_three_phases:
            return (0,) * len(self.converters)
        on = [unit.usual_phase(supply) if unit.inverter.phases == "single" else 0 for unit in self.converters]
        lead = self.battery_converter
        if lead is not None and lead.inverter.phases == "single":
            served = next((unit.found_on for unit in self.together if unit.found_on), supply.single_on)
            with_it = [unit.is_new for unit in self.converters]
            return tuple(served if phase and new else phase for phase, new in zip(on, with_it, strict=True))
        units = self.converters
        free = [at for at, unit in enumerate(units) if on[at] and unit.is_new and not unit.has_battery]
        on = [0 if at in free and units[at].fills_breakers else phase for at, phase in enumerate(on)]
        free = [at for at in free if on[at]]
        hung = [0.0, 0.0, 0.0]
        for at, unit in enumerate(units):
            if on[at] and at not in free:
                hung[on[at] - 1] += unit.inverter.ac_kw
        for at in sorted(free, key=lambda at: -units[at].inverter.ac_kw):
            on[at] = hung.index(min(hung)) + 1
            hung[on[at] - 1] += units[at].inverter.ac_kw
        return tuple(on)

    def counted(self, supply: Supply) -> tuple[Converter, ...]:
        """Units that the network operator counts."""
        return tuple(converter for converter in self.converters if converter.is_counted(supply))

    def counted_kw(self, supply: Supply) -> float:
        """What the network operator adds up: the AC ratings of those it counts [kW]."""
        return sum(converter.inverter.ac_kw for converter in self.counted(supply))

    def counted_on_phases(self, supply: Supply) -> np.ndarray:
        """What the network operator adds up on each phase [kW], shape (3,), or (1,) where there is one."""
        return kw_on_phases(zip(self.converters, self.phases(supply), strict=True), supply)


def kw_on_phases(units: Iterable[tuple[Converter, int]], supply: Supply) -> np.ndarray:
    """AC ratings that the network operator counts on each phase [kW], of units each with its phase, 0 for all."""
    result = np.zeros(3 if supply.circuit.has_three_phases else 1)
    for converter, phase in units:
        if not converter.is_counted(supply):
            continue
        if phase:
            result[phase - 1] += converter.inverter.ac_kw
        else:
            result += converter.inverter.ac_kw / result.size
    return result


@dataclass(frozen=True)
class Refusal:
    """An architecture that cannot be built on the job, and why: sentences without their full stop."""

    architecture: "Architecture"
    title: str
    coupling: str
    reasons: tuple[str, ...]


@dataclass(frozen=True)
class Survey:
    """What strings depend on, before there is a demand."""

    job: Job
    equipment: Equipment
    faces: tuple[Face, ...]
    temperatures: DesignTemperatures
    rules: Rules
    site_limit: SiteLimit = NO_SITE_LIMIT
    optimisers: dict[str, Optimiser] = field(default_factory=dict)
    wires: WireTables | None = None

    @property
    def length_unit(self) -> tuple[str, float]:
        """In what lengths are counted here, and how long one is [m]."""
        return shown_unit("m", self.in_feet)

    @property
    def in_feet(self) -> bool:
        """Whether lengths are counted in feet here."""
        return self.wires is not None and self.wires.in_feet

    def length_words(self, metres: float) -> str:
        """A length with the unit that the region's tables of wires count in."""
        return length_text(metres, self.in_feet)

    @property
    def faces_then(self) -> tuple[Face, ...]:
        """Faces on the roof after the works."""
        return tuple(face for face in self.faces if face.plan.will_be_there)

    def first_new(self, inverter: Inverter) -> int:
        """Number of the first new unit of a kind: those of the survey come before it."""
        return 1 + sum(item.inverter == inverter.key for item in self.job.existing_inverters)

    def lay(
        self,
        inverter: Inverter,
        faces: tuple[Face, ...],
        fixed: frozenset[Any] = frozenset(),
        alike: int | None = None,
    ) -> Stringing:
        """Strings on an inverter: laid by hand where the job has them so, else by the planner.

        `fixed` names the faces whose strings stay as they are wired; `alike` counts units of one kind, None: the first
        new one.
        """
        alike = self.first_new(inverter) if alike is None else alike
        plan = self.job.string_plan(inverter.key, alike)
        if plan is not None:
            return planned_strings(faces, inverter, plan, self.optimisers)
        return lay_strings(faces, inverter, self.temperatures, self.site_limit, self.optimisers, fixed)


@dataclass(frozen=True)
class DesignContext:
    """What every design of a job stands on; `now` are the units there today."""

    survey: Survey
    demand: DemandYear
    bank: Bank
    now: tuple[Converter, ...]

    @property
    def job(self) -> Job:
        """The job itself."""
        return self.survey.job

    def without_string_plans(self) -> "DesignContext":
        """The same as if no strings were laid by hand."""
        if not self.job.string_plans:
            return self
        return replace(self, survey=replace(self.survey, job=self.job.with_(string_plans=())))

    @property
    def equipment(self) -> Equipment:
        """Everything the job may draw on."""
        return self.survey.equipment

    @property
    def rules(self) -> Rules:
        """The rules in force."""
        return self.survey.rules

    @property
    def faces(self) -> tuple[Face, ...]:
        """Every face, of today and of after the works."""
        return self.survey.faces

    @property
    def temperatures(self) -> DesignTemperatures:
        """Coldest and hottest cell."""
        return self.survey.temperatures

    @property
    def kept_inverter(self) -> str:
        """The name of what the survey keeps where it is."""
        unit = next((item for item in self.now if item.surveyed and item.surveyed.stays), self.kept)
        return unit.inverter.name if unit else "the inverter"

    def leaving(self, converters: Sequence[Converter]) -> tuple[Converter, ...]:
        """Units of today that are not among those of a design."""
        return tuple(unit for unit in self.now if not any(unit.is_the_same(converter) for converter in converters))

    @property
    def kept(self) -> Converter | None:
        """The inverter with the roof's strings that is there today; None on a bare roof."""
        return next(
            (converter for converter in self.now if converter.micro is None and converter.has_strings),
            None,
        )


class BuiltOption(Protocol):
    """What an architecture's reasons read of an option; `outcome` is an `operation.outcome.Outcome`."""

    @property
    def design(self) -> Design:
        """What is built."""

    @property
    def context(self) -> "DesignContext":
        """What it was designed from."""

    @property
    def outcome(self) -> Any:
        """What it comes to."""

    @property
    def role(self) -> str:
        """The role of its architecture."""


Spoken = list[tuple[bool, PurposeKind, str]]


def no_reasons(option: BuiltOption, others: Sequence[BuiltOption], job: Job) -> Spoken:
    """What an architecture says that adds no reasons of its own."""
    return []


def untried(inverter: Inverter, context: DesignContext) -> bool:
    """For an architecture that the search does not try."""
    return False


@dataclass(frozen=True, eq=False)
class Architecture:
    """A way to couple a battery.

    Attributes
    ----------
    key : str
        By which jobs, files and the desk know it.
    place, place_on_bare_roof : float
        Where it stands among the options.
    school : str
        Whose reasoning it follows: common practice, no source.
    build : callable
        From a `DesignContext` to a `Design`, or to a `Refusal` where it cannot be built.
    role : {"", "today", "AC", "AC off grid", "DC"}
        What the others are held against: what is there today, and the plain way to couple on each side.
    one_inverter : bool
        Whether one inverter carries roof and battery.
    per_module : bool
        Whether each module has a converter of its own.
    stays : str
        What it leaves as it is, in a sentence; empty for the usual one.
    reasons : callable
        From an option, the options and the job to what speaks for and against it beyond what is said of all: tuples
        of whether it speaks for, the purpose, the sentence.
    search_words : str
        What the search calls it; empty where it is not tried.
    tried_with : callable
        Whether the search tries it with an `Inverter` in a `DesignContext`.
    """

    key: str
    place: float
    school: str
    build: Callable[[DesignContext], Design | Refusal]
    place_on_bare_roof: float | None = None
    role: str = ""
    one_inverter: bool = False
    per_module: bool = False
    stays: str = ""
    reasons: Callable[[BuiltOption, Sequence[BuiltOption], Job], Spoken] = no_reasons
    search_words: str = ""
    tried_with: Callable[[Inverter, DesignContext], bool] = untried

    def place_for(self, context: DesignContext) -> float:
        """Where it stands among the options of a job."""
        bare = self.place_on_bare_roof
        return self.place if context.now or bare is None else bare


def survey_of(
    job: Job,
    equipment: Equipment,
    rules: Rules,
    faces: tuple[Face, ...],
    temperatures: DesignTemperatures,
    wires: WireTables | None = None,
) -> Survey:
    """What strings depend on: limits by the rules in force, optimisers by face."""
    rule = rules.of("array volts")
    limit = SiteLimit(rule.limit, f"{rule.rule.authority}, {rule.rule.clause}") if rule else NO_SITE_LIMIT
    optimisers = {}
    for number, face in enumerate(job.faces):
        if face.electronics is not None:
            item = equipment.under_module(face.electronics, f"faces.{number}.electronics")
            if isinstance(item, Optimiser):
                optimisers[face.name] = item
    return Survey(job, equipment, faces, temperatures, rules, limit, optimisers, wires)
