"""The architectures on offer for a job, as boxes on the wall; a design that cannot be built says why."""

from dataclasses import dataclass

from calm_relay.job.equipment import Converter
from calm_relay.job.model import Job
from calm_relay.physics.plant import ConverterPart
from calm_relay.planning.array import DesignTemperatures, Face
from calm_relay.planning.bank import Bank, discharge_ac_kw
from calm_relay.planning.demand import DemandYear
from calm_relay.planning.errors import PlanError
from calm_relay.planning.kit import Kit, loss_curve
from calm_relay.planning.stringing import Stringing, hard_refusals, lay_strings

AS_IS, AC_ADDON, HYBRID_SWAP = "as-is", "ac-addon", "hybrid-swap"


@dataclass(frozen=True)
class Box:
    """A converter on the wall with what hangs on it."""

    converter: Converter
    stringing: Stringing | None = None
    bank: Bank | None = None
    is_new: bool = True
    age_years: float = 0.0

    @property
    def faces(self) -> tuple[Face, ...]:
        """Roof faces on its trackers, each once."""
        runs = self.stringing.runs if self.stringing else ()
        return tuple(dict.fromkeys(run.face for run in runs))

    @property
    def array_kw(self) -> float:
        """Module power on its trackers [kW]."""
        return sum(
            run.parallel * run.in_series * run.face.module.power_w / 1000.0
            for run in (self.stringing.runs if self.stringing else ())
        )

    def part(self, reserve: float) -> ConverterPart:
        """The box as the simulation sees it."""
        pv = self.converter.pv if self.stringing and self.stringing.runs else None
        return ConverterPart(
            ac_limit_kw=self.converter.ac_kw,
            pv=pv is not None,
            pv_limit_kw=min(pv.usable_dc_kw, self.stringing.usable_kw) if pv else 0.0,
            tracker_efficiency=pv.tracker_efficiency if pv else 1.0,
            loss=loss_curve(self.converter),
            standby_kw=self.converter.standby_w / 1000.0,
            battery=self.bank.part(self.converter, reserve) if self.bank else None,
        )


@dataclass(frozen=True)
class Design:
    """One way to build the job; `refused` holds the reasons when it cannot be built."""

    key: str
    title: str
    coupling: str
    boxes: tuple[Box, ...] = ()
    removed: tuple[Converter, ...] = ()
    strings_moved: int = 0
    refused: tuple[str, ...] = ()

    @property
    def store_box(self) -> Box | None:
        """The box that carries the bank."""
        return next((box for box in self.boxes if box.bank), None)

    @property
    def pv_box(self) -> Box | None:
        """The box that carries the array."""
        return next((box for box in self.boxes if box.stringing), None)

    @property
    def new_boxes(self) -> tuple[Box, ...]:
        """What has to be bought and hung."""
        return tuple(box for box in self.boxes if box.is_new)

    @property
    def counted_kw(self) -> float:
        """What a network operator adds up: the AC ratings of all that can feed the bus [kW]."""
        return sum(box.converter.ac_kw for box in self.boxes)


@dataclass(frozen=True)
class Ground:
    """What every design of a job stands on."""

    job: Job
    kit: Kit
    faces: tuple[Face, ...]
    temperatures: DesignTemperatures
    demand: DemandYear
    bank: Bank
    kept: Box


def kept_box(job: Job, kit: Kit, faces: tuple[Face, ...]) -> Box:
    """The inverter already on the wall with the roof's strings.

    Raises
    ------
    PlanError
        When it takes no modules.
    """
    converter = kit.converter(job.inverter.converter, "inverter.converter")
    if converter.pv is None:
        raise PlanError("inverter.converter", f"{converter.name} has no PV inputs; wanted an inverter that has")
    return Box(converter, lay_strings(faces, converter), is_new=False, age_years=job.inverter.age_years)


def battery_refusals(bank: Bank, converter: Converter, job: Job) -> list[str]:
    """Reasons why a bank cannot hang on a converter on this supply."""
    pack, port = bank.pack, converter.battery
    if port is None:
        return [f"{converter.name} has no battery port"]
    reasons = []
    if pack.family not in port.families:
        reasons.append(f"{converter.name} does not speak to {pack.name}")
    elif not port.low_v <= bank.empty_v <= bank.full_v <= port.high_v:
        reasons.append(
            f"{bank.count} × {pack.name} stand at {bank.empty_v:.0f} to {bank.full_v:.0f} V; "
            f"{converter.name} takes {port.low_v:.0f} to {port.high_v:.0f} V"
        )
    if not pack.count_min <= bank.count <= pack.count_max:
        reasons.append(f"{pack.name} is built {pack.count_min} to {pack.count_max} at a time, not {bank.count}")
    if converter.phases != job.supply.phases and not (
        converter.phases == "single" and job.supply.phases == "three"
    ):
        reasons.append(f"{converter.name} is for {converter.phases} phase, the supply is {job.supply.phases}")
    return reasons


def designs(ground: Ground) -> tuple[Design, ...]:
    """The options of a job in a fixed order: as it is, AC-coupled add-on, DC-coupled hybrid swap."""
    as_is = Design(AS_IS, "As it is", "none", (ground.kept,))
    return as_is, _ac_addon(ground), _hybrid_swap(ground)


def _ac_addon(ground):
    job, bank = ground.job, ground.bank
    title = "AC-coupled add-on"
    wanted_kw = ground.demand.evening_peak_kw

    def refusals(converter):
        return battery_refusals(bank, converter, job)

    def suits(converter):
        return converter.pv is None

    def power_kw(converter):
        return discharge_ac_kw(bank, converter)[0]

    stated = job.store.battery_inverter
    converter, reasons = _pick(
        ground, stated, "store.battery_inverter", suits, refusals, refusals, power_kw, wanted_kw
    )
    if converter is None:
        return Design(AC_ADDON, title, "AC", refused=reasons)
    return Design(AC_ADDON, title, "AC", (ground.kept, Box(converter, bank=bank)))


def _hybrid_swap(ground):
    job, bank = ground.job, ground.bank
    title = "DC-coupled hybrid swap"

    def refusals(converter):
        reasons = battery_refusals(bank, converter, job)
        return reasons if converter.pv else [*reasons, f"{converter.name} has no PV inputs"]

    def all_refusals(converter):
        reasons = refusals(converter)
        if converter.pv:
            reasons += hard_refusals(lay_strings(ground.faces, converter), ground.temperatures)
            array_kw = sum(face.rated_kw for face in ground.faces)
            ratio = array_kw / converter.ac_kw
            if ratio > converter.pv.ratio_max_with_battery + 1e-9:
                reasons.append(
                    f"{array_kw:.2f} kWp is {ratio:.2f} times {converter.name}; "
                    f"its maker allows {converter.pv.ratio_max_with_battery:.2f}"
                )
        return reasons

    def suits(converter):
        return converter.pv is not None and converter.battery is not None

    converter, reasons = _pick(
        ground,
        job.store.hybrid,
        "store.hybrid",
        suits,
        refusals,
        all_refusals,
        lambda candidate: candidate.ac_kw,
        ground.kept.converter.ac_kw,
    )
    if converter is None:
        return Design(HYBRID_SWAP, title, "DC", refused=reasons)
    box = Box(converter, lay_strings(ground.faces, converter), bank)
    moved = sum(face.plan.strings for face in ground.faces)
    return Design(HYBRID_SWAP, title, "DC", (box,), (ground.kept.converter,), moved)


def _pick(ground, stated, field, suits, refusals, all_refusals, power_kw, wanted_kw):
    """The converter the job states, else the cheapest with the power wanted, else the strongest.

    A stated converter is refused only for what cannot be connected at all; the rest becomes findings.
    """
    if stated is not None:
        converter = ground.kit.converter(stated, field)
        reasons = refusals(converter)
        return (None, tuple(reasons)) if reasons else (converter, ())
    candidates = [item for item in ground.kit.catalogue.converters if suits(item)]
    verdicts = {item.key: all_refusals(item) for item in candidates}
    fitting = [item for item in candidates if not verdicts[item.key]]
    if not fitting:
        pack = ground.bank.pack
        if candidates and not any(pack.family in item.battery.families for item in candidates if item.battery):
            return None, (f"None of the {len(candidates)} inverters of this kind speaks to {pack.name}",)
        # The nearest miss tells most: the candidate with the fewest reasons against it.
        nearest = min(candidates, key=lambda item: len(verdicts[item.key]), default=None)
        return None, tuple(verdicts[nearest.key]) if nearest else ("the catalogue holds no such inverter",)
    enough = [item for item in fitting if power_kw(item) >= wanted_kw - 1e-9]
    if enough:
        return min(enough, key=lambda item: (item.price, item.key)), ()
    return max(fitting, key=lambda item: (round(power_kw(item), 6), -item.price)), ()
