"""A lead-acid bank as it is set up: nothing in it watches itself, so the unit must be told what it is."""

from dataclasses import dataclass

from calm_relay.job.equipment import Pack
from calm_relay.physics.lead_acid import CELLS, airflow_m3_h, at_temperature, cells_of, opening_cm2
from calm_relay.planning.architecture.design import Converter

# What the makers' sheets mean by a cell, and the discharge that gas is reckoned for [V, h].
NOMINAL_V, GAS_HOURS = 2.0, 10.0
# A cubic metre an hour in cubic feet a minute, a square inch in square centimetres.
CFM, CM2_PER_IN2 = 0.588578, 6.4516


@dataclass(frozen=True)
class LeadBank:
    """Volts of a bank on one unit, its ampere-hours, and the air that the whole of it wants.

    `amp_hours` are what one unit's bank has now at the discharge its sheet states, `at_ten_hours` what it had when new
    at one of ten hours [Ah]. Volts are at 25 degC, `per_k` is taken off for each degree above [V]. `equalise_v` is None
    for sealed cells; `lowest_v` is where what may be used ends.
    """

    pack: Pack
    cells: int
    amp_hours: float
    at_ten_hours: float
    absorption_v: float
    float_v: float
    equalise_v: float | None
    per_k: float
    lowest_v: float
    air_m3_h: float
    opening_cm2: float

    @property
    def sealed(self) -> bool:
        """Whether its cells are valve-regulated."""
        return self.equalise_v is None

    def source_of(self, stated_v: float | None) -> str:
        """Where a charging voltage is from: the datasheet where that states it."""
        if stated_v is not None:
            return f"{self.pack.name}, datasheet"
        kind = f"{self.cells} cells, {self.pack.chemistry}"
        return f"{kind}: common practice, no source; its maker's figure goes before it"

    def air_words(self, in_feet: bool) -> tuple[str, str]:
        """The fresh air it wants and the free area of each of two openings, in words."""
        if in_feet:
            return f"{self.air_m3_h * CFM:.1f} cfm", f"{self.opening_cm2 / CM2_PER_IN2:.0f} in²"
        return f"{self.air_m3_h:.1f} m³ an hour", f"{self.opening_cm2:.0f} cm²"

    def absorption_at(self, cell_c: float) -> float:
        """Absorption voltage of cells of another temperature [V]."""
        return at_temperature(self.absorption_v, self.per_k, cell_c)


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
    absorption_v, float_v = (
        cells * usual if stated is None else stated * in_series
        for usual, stated in ((kind.absorption, pack.absorption_v), (kind.float_, pack.float_v))
    )
    air = airflow_m3_h(cells, ten * bank.units, kind.equalise is None)
    return LeadBank(
        pack=pack,
        cells=cells,
        amp_hours=amp_hours * bank.health,
        at_ten_hours=ten,
        absorption_v=absorption_v,
        float_v=float_v,
        equalise_v=None if kind.equalise is None else cells * kind.equalise,
        per_k=cells * kind.per_k,
        lowest_v=bank.empty_v,
        air_m3_h=air,
        opening_cm2=opening_cm2(air),
    )
