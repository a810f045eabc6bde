"""What a device says, in the trade's quantities; SunSpec models made of it and read into it."""

from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta

from calm_relay.fieldbus.definitions import INVERTERS, METERS, Reading, write_model

# Model 802 and 714 leave open which way a battery's power counts; its charge status settles it.
CHARGING, DISCHARGING, FULL, HOLDING = 4, 3, 5, 6
THROTTLED = {**dict.fromkeys(INVERTERS, 5), 701: 4}
FAULT = {**dict.fromkeys(INVERTERS, 7), 701: 6}
PV_PORT, BATTERY_PORT = 0, 1
FORMING = 1 << 1
# Model 160 counts its seconds from here.
SINCE = datetime(2000, 1, 1, tzinfo=UTC)


@dataclass(frozen=True)
class DcInput:
    """One PV input: power [kW], volts [V] and amps [A]; None where it is not said."""

    name: str
    volts: float | None
    amps: float | None
    kw: float | None


@dataclass(frozen=True)
class InverterReading:
    """An inverter: AC power [kW], positive out of it; phases' volts [V]; `forming` in an island; None: not said."""

    kw: float | None
    hz: float | None = None
    phase_volts: tuple[float, ...] = ()
    phase_amps: tuple[float, ...] = ()
    inputs: tuple[DcInput, ...] = ()
    state: str = ""
    forming: bool | None = None
    kwh: float | None = None


@dataclass(frozen=True)
class BatteryReading:
    """A battery: state of charge [0 to 1], volts [V], amps [A] and power [kW], both positive while it discharges.

    `rated_kwh` is what its nameplate says, `health` the share of it that is left [0 to 1].
    """

    soc: float | None
    volts: float | None = None
    amps: float | None = None
    kw: float | None = None
    rated_kwh: float | None = None
    health: float | None = None
    status: str = ""


@dataclass(frozen=True)
class MeterReading:
    """A meter: power [kW], positive from the grid, of all and of each phase; energies [kWh]."""

    kw: float | None
    phase_kw: tuple[float, ...] = ()
    phase_volts: tuple[float, ...] = ()
    hz: float | None = None
    import_kwh: float | None = None
    export_kwh: float | None = None


@dataclass(frozen=True)
class DeviceReading:
    """Everything one device says at a time; `clock` is its own [UTC], None where it has none."""

    maker: str = ""
    kind: str = ""
    version: str = ""
    serial: str = ""
    inverter: InverterReading | None = None
    battery: BatteryReading | None = None
    meter: MeterReading | None = None
    clock: datetime | None = None
    models: tuple[int, ...] = field(default=(), compare=False)

    @property
    def words(self) -> str:
        """What it calls itself."""
        return " ".join(part for part in (self.maker, self.kind) if part) or "a device that does not say its name"


def _kilo(value: float | None) -> float | None:
    return None if value is None else value / 1000.0


def _share(value: float | None) -> float | None:
    return None if value is None else value / 100.0


def _numbers(reading: Reading, *names: str) -> tuple[float, ...]:
    found = (reading.number(name) for name in names)
    return tuple(value for value in found if value is not None)


def _state(model: int, reading: Reading, name: str) -> str:
    value = reading.values.get(name)
    if value == THROTTLED[model]:
        return "throttled"
    return "fault" if value == FAULT[model] else ""


def device_reading(models: list[tuple[int, Reading]]) -> DeviceReading:
    """What a device says, from its models in their order.

    Parameters
    ----------
    models : list of (int, Reading)
        Number and points of each. Where the older and the newer models both say a thing, the older is taken.
    """
    first: dict[int, Reading] = {}
    for number, reading in models:
        first.setdefault(number, reading)
    common = first.get(1)
    return DeviceReading(
        maker=common.text("Mn") if common else "",
        kind=common.text("Md") if common else "",
        version=common.text("Vr") if common else "",
        serial=common.text("SN") if common else "",
        inverter=_inverter(first),
        battery=_battery(first),
        meter=_meter(first),
        clock=_clock(first),
        models=tuple(number for number, _ in models),
    )


def _inverter(models: dict[int, Reading]) -> InverterReading | None:
    number = next((number for number in (*INVERTERS, 701) if number in models), None)
    if number is None:
        return None
    reading = models[number]
    newer = models.get(701)
    forming = newer.number("DERMode") if newer is not None else None
    if number == 701:
        volts, amps = _numbers(reading, "VL1", "VL2", "VL3"), _numbers(reading, "AL1", "AL2", "AL3")
        energy, state = _kilo(reading.number("TotWhInj")), _state(number, reading, "InvSt")
    else:
        volts = _numbers(reading, "PhVphA", "PhVphB", "PhVphC")
        amps = _numbers(reading, "AphA", "AphB", "AphC")
        energy, state = _kilo(reading.number("WH")), _state(number, reading, "St")
    return InverterReading(
        kw=_kilo(reading.number("W")),
        hz=reading.number("Hz"),
        phase_volts=volts,
        phase_amps=amps,
        inputs=_inputs(models),
        state=state,
        forming=None if forming is None else bool(int(forming) & FORMING),
        kwh=energy,
    )


def _inputs(models: dict[int, Reading]) -> tuple[DcInput, ...]:
    if 160 in models:
        blocks = models[160].blocks.get("module", ())
    elif 714 in models:
        ports = models[714].blocks.get("Prt", ())
        blocks = tuple(port for port in ports if port.values.get("PrtTyp") == PV_PORT)
    else:
        blocks = ()
    read = (
        DcInput(
            block.text("IDStr") or f"input {at}",
            block.number("DCV"),
            block.number("DCA"),
            _kilo(block.number("DCW")),
        )
        for at, block in enumerate(blocks, 1)
    )
    # A block may hold the clock alone.
    return tuple(item for item in read if any(value is not None for value in (item.volts, item.amps, item.kw)))


def _clock(models: dict[int, Reading]) -> datetime | None:
    """When the device says it is; a clock that was never set stands near its beginning."""
    blocks = models[160].blocks.get("module", ()) if 160 in models else ()
    seconds = next((block.number("Tms") for block in blocks), None)
    return SINCE + timedelta(seconds=seconds) if seconds and seconds > 86400.0 * 366 else None


def _signed(value: float | None, status: int | None) -> float | None:
    """Positive while it discharges, whichever way the device counts."""
    if value is None or status not in (CHARGING, DISCHARGING):
        return value
    return abs(value) if status == DISCHARGING else -abs(value)


def _battery(models: dict[int, Reading]) -> BatteryReading | None:
    reading = models.get(802)
    if reading is None:
        return _newer_battery(models)
    stated = reading.values.get("ChaSt")
    status = stated if isinstance(stated, int) else None
    volts = reading.number("V")
    amps = _signed(reading.number("A"), status)
    kw = _signed(_kilo(reading.number("W")), status)
    if kw is None and volts is not None and amps is not None:
        kw = volts * amps / 1000.0
    return BatteryReading(
        soc=_share(reading.number("SoC")),
        volts=volts,
        amps=amps,
        kw=kw,
        rated_kwh=_kilo(reading.number("WHRtg")),
        health=_share(reading.number("SoH")),
        status={CHARGING: "charging", DISCHARGING: "discharging", FULL: "full", 2: "empty"}.get(status or 0, ""),
    )


def _newer_battery(models: dict[int, Reading]) -> BatteryReading | None:
    capacity = models.get(713)
    if capacity is None:
        return None
    ports = models[714].blocks.get("Prt", ()) if 714 in models else ()
    port = next((port for port in ports if port.values.get("PrtTyp") == BATTERY_PORT), None)
    return BatteryReading(
        soc=_share(capacity.number("SoC")),
        volts=port.number("DCV") if port else None,
        amps=port.number("DCA") if port else None,
        kw=_kilo(port.number("DCW")) if port else None,
        rated_kwh=_kilo(capacity.number("WHRtg")),
        health=_share(capacity.number("SoH")),
    )


def _meter(models: dict[int, Reading]) -> MeterReading | None:
    reading = next((models[number] for number in METERS if number in models), None)
    if reading is None:
        return None
    return MeterReading(
        kw=_kilo(reading.number("W")),
        phase_kw=tuple(value / 1000.0 for value in _numbers(reading, "WphA", "WphB", "WphC")),
        phase_volts=_numbers(reading, "PhVphA", "PhVphB", "PhVphC"),
        hz=reading.number("Hz"),
        import_kwh=_kilo(reading.number("TotWhImp")),
        export_kwh=_kilo(reading.number("TotWhExp")),
    )


def registers_of(device: DeviceReading) -> bytes:
    """The SunSpec map of a device from "SunS" to its end, two bytes a register: what the simulated site serves."""
    common = {"Mn": device.maker, "Md": device.kind, "Vr": device.version, "SN": device.serial, "DA": 1}
    parts = [b"SunS", write_model(1, common)]
    if device.inverter is not None:
        parts += _inverter_models(device.inverter, device.clock)
    if device.battery is not None:
        parts.append(_battery_model(device.battery))
    if device.meter is not None:
        parts.append(_meter_model(device.meter))
    return b"".join(parts) + b"\xff\xff\x00\x00"


def _watts(kw: float | None) -> float | None:
    return None if kw is None else kw * 1000.0


def _power_scale(*kws: float | None) -> int:
    """The scale factor with which the greatest of some powers fits a register of 16 bits."""
    most = max((abs(kw) for kw in kws if kw is not None), default=0.0)
    return 0 if most < 32.0 else 1 if most < 320.0 else 2


def _inverter_models(inverter: InverterReading, clock: datetime | None) -> list[bytes]:
    phases, scale = max(len(inverter.phase_volts), 1), _power_scale(inverter.kw)
    state = {"throttled": 5, "fault": 7}.get(inverter.state, 4)
    volts, amps = inverter.phase_volts, inverter.phase_amps
    values: dict[str, object] = {
        "A": sum(amps), "W": _watts(inverter.kw), "W_SF": scale, "Hz": inverter.hz, "Hz_SF": -2,
        "WH": _watts(inverter.kwh), "WH_SF": 0, "St": state, "Evt1": 0, "Evt2": 0, "TmpCab": 41.0,
    }  # fmt: skip
    values |= {f"PhVph{letter}": value for letter, value in zip("ABC", volts, strict=False)}
    values |= {f"Aph{letter}": value for letter, value in zip("ABC", amps, strict=False)}
    parts = [write_model(100 + min(phases, 3), values)]
    # The clock stands in the inputs' model: where there is no input, in a block that says nothing else.
    inputs = inverter.inputs or ((DcInput("", None, None, None),) if clock is not None else ())
    if inputs:
        seconds = None if clock is None else int((clock - SINCE).total_seconds())
        blocks = [
            {
                "ID": at, "IDStr": item.name, "DCV": item.volts, "DCA": item.amps, "DCW": _watts(item.kw),
                "DCSt": state, "Tms": seconds,
            }
            for at, item in enumerate(inputs, 1)
        ]  # fmt: skip
        scales = {"DCW_SF": _power_scale(*(item.kw for item in inputs)), "DCA_SF": -2}
        parts.append(write_model(160, scales, {"module": blocks}))
    newer: dict[str, object] = {
        "ACType": {1: 0, 2: 1}.get(phases, 2), "St": 1, "InvSt": {"throttled": 4, "fault": 6}.get(inverter.state, 3),
        "ConnSt": 0 if inverter.forming else 1, "DERMode": FORMING if inverter.forming else 1, "Alrm": 0,
        "W": _watts(inverter.kw), "W_SF": scale, "Hz": inverter.hz, "Hz_SF": -2, "TotWhInj": _watts(inverter.kwh),
        "TotWh_SF": 0,
    }  # fmt: skip
    newer |= {f"VL{at}": value for at, value in enumerate(volts, 1)}
    newer |= {f"AL{at}": value for at, value in enumerate(amps, 1)}
    parts.append(write_model(701, newer))
    return parts


def _battery_model(battery: BatteryReading) -> bytes:
    status = {"charging": CHARGING, "discharging": DISCHARGING, "full": FULL, "empty": 2}.get(
        battery.status, HOLDING
    )
    rated = _watts(battery.rated_kwh)
    values = {
        "SoC": None if battery.soc is None else 100.0 * battery.soc, "ChaSt": status, "V": battery.volts,
        "A": battery.amps, "W": _watts(battery.kw), "W_SF": _power_scale(battery.kw), "WHRtg": rated, "WHRtg_SF": 1,
        "AHRtg": rated / max(battery.volts, 1.0) if rated and battery.volts else 0.0,
        "WChaRteMax": 0, "WDisChaRteMax": 0,
        "SoH": None if battery.health is None else 100.0 * battery.health, "Typ": 4, "State": 3, "LocRemCtl": 1,
        "AlmRst": 0, "Evt1": 0, "Evt2": 0, "EvtVnd1": 0, "EvtVnd2": 0, "SetOp": 1, "SetInvState": 1,
    }  # fmt: skip
    return write_model(802, values)


def _meter_model(meter: MeterReading) -> bytes:
    phases = max(len(meter.phase_kw), 1)
    values: dict[str, object] = {
        "W": _watts(meter.kw), "W_SF": _power_scale(meter.kw, *meter.phase_kw), "Hz": meter.hz, "Hz_SF": -2, "A": 0,
        "AphA": 0, "TotWhImp": _watts(meter.import_kwh), "TotWhExp": _watts(meter.export_kwh), "TotWh_SF": 0, "Evt": 0,
    }  # fmt: skip
    values |= {f"PhVph{letter}": value for letter, value in zip("ABC", meter.phase_volts, strict=False)}
    values |= {f"Wph{letter}": _watts(value) for letter, value in zip("ABC", meter.phase_kw, strict=False)}
    return write_model(200 + min(phases, 3), values)
