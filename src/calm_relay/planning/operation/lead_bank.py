"""A lead-acid bank as it is set up: nothing in it watches itself, so the unit must be told what it is."""

from dataclasses import dataclass

from calm_relay.job.equipment import Pack
from calm_relay.physics.lead_acid import CELLS, airflow_m3_h, at_temperature, cells_of, opening_cm2
from calm_relay.planning.architecture.design import Converter

# What the makers' sheets mean by a cell, and the discharge that gas is reckoned for [V, h].
NOMINAL_V, GAS_HOURS = 2.0, 10.0
# A cubic metre an hour in cubic feet a minute, a square inch in square centimetres.
CFM, CM2_PER_IN2 = 0.588578, 6.4516
USUAL = "common practice, no source"


@dataclass(frozen=True)
class LeadBank:
    """Volts of a bank on one unit, its ampere-hours, and the air that the whole of it wants.

    `amp_hours` are what one unit's bank has now at the discharge its sheet states, `at_ten_hours` what it had when new
    at one of ten hours [Ah]. Volts are at 25 degC, `per_k` is taken off for each degree above [V]; `stated` says of the
    absorption and the float voltage whether the datasheet has them. `equalise_v` is None for sealed cells; `lowest_v`
    is where what may be used ends.
    """

    pack: Pack
    cells: int
    amp_hours: float
    at_ten_hours: float
    absorption_v: float
    float_v: float
    stated: tuple[bool, bool]
    equalise_v: float | None
    per_k: float
    lowest_v: float
    air_m3_h: float
    opening_cm2: float

    @property
    def sealed(self) -> bool:
        """Whether its cells are valve-regulated."""
        return self.equalise_v is None

    @property
    def rule(self) -> str:
        """Where its volts are from."""
        return f"{self.pack.name}, datasheet" if self.stated[0] else f"{self.pack.chemistry}, {USUAL}"

    def air_words(self, in_feet: bool) -> tuple[str, str]:
        """The fresh air it wants and the free area of each of two openings, in words."""
        if in_feet:
            return f"{self.air_m3_h * CFM:.1f} cfm", f"{self.opening_cm2 / CM2_PER_IN2:.0f} in²"
        return f"{self.air_m3_h:.1f} m³ an hour", f"{self.opening_cm2:.0f} cm²"

    def absorption_at(self, cell_c: float) -> float:
        """Absorption voltage of cells of another temperature [V]."""
        return at_temperature(self.absorption_v, self.cells, self.per_k / self.cells, cell_c)


def lead_bank_of(converter: Converter | None) -> LeadBank | None:
    """The lead-acid bank of a converter; None where it has none.

    Parameters
    ----------
    converter : Converter or None
        A converter of a design; units that act as one are one of them.
    """
    if converter is None or converter.held is None or not converter.held.pack.is_lead:
        return None
    bank = converter.held
    pack, kind = bank.pack, CELLS[bank.pack.chemistry]
    cells = cells_of(bank.empty_v, bank.full_v)
    amp_hours = bank.nominal_kwh / bank.units * 1000.0 / (cells * NOMINAL_V)
    exponent = pack.peukert_exponent
    ten = amp_hours * (GAS_HOURS / pack.rated_hours) ** ((exponent - 1.0) / exponent)
    in_series = bank.full_v / pack.full_v
    absorption_v = cells * kind.absorption if pack.absorption_v is None else pack.absorption_v * in_series
    float_v = cells * kind.float_ if pack.float_v is None else pack.float_v * in_series
    air = airflow_m3_h(cells, ten * bank.units, kind.equalise is None)
    return LeadBank(
        pack,
        cells,
        amp_hours * bank.health,
        ten,
        absorption_v,
        float_v,
        (pack.absorption_v is not None, pack.float_v is not None),
        None if kind.equalise is None else cells * kind.equalise,
        cells * kind.per_k,
        bank.empty_v,
        air,
        opening_cm2(air),
    )
