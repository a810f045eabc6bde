"""How PV inverters turn their power down as an islanded bus raises its frequency."""

from dataclasses import dataclass


@dataclass(frozen=True)
class FrequencyWatt:
    """A straight fall of power over frequency: from `start_hz` at full power to nothing at `end_hz`.

    At `parts_hz` an inverter leaves the grid whatever it gave.
    """

    name: str
    nominal_hz: float
    start_hz: float
    end_hz: float
    parts_hz: float

    @property
    def nothing_hz(self) -> float:
        """Frequency from which on it gives nothing [Hz]."""
        return min(self.end_hz, self.parts_hz)

    def share(self, hz: float) -> float:
        """Share of the present power that is left at a frequency."""
        return min(1.0, max(0.0, (self.end_hz - hz) / (self.end_hz - self.start_hz)))

    def hz(self, share: float) -> float:
        """Frequency at which so much of the present power is left; nominal where all of it is."""
        if share >= 1.0:
            return self.nominal_hz
        return self.start_hz + (1.0 - max(share, 0.0)) * (self.end_hz - self.start_hz)


# IEEE 1547-2018 default of category II (from memory): deadband 0.036 Hz, droop 5 % of 60 Hz; off at 62 Hz.
IEEE_1547 = FrequencyWatt("IEEE 1547-2018", 60.0, 60.036, 60.036 + 0.05 * 60.0, 62.0)
# VDE-AR-N 4105 (from memory): from 50.2 Hz, 40 % of the present power per Hz; off at 51.5 Hz.
VDE_4105 = FrequencyWatt("VDE-AR-N 4105", 50.0, 50.2, 50.2 + 1.0 / 0.4, 51.5)
# AS/NZS 4777.2, region A (from memory): from 50.25 Hz to nothing at 52 Hz.
AS_4777 = FrequencyWatt("AS/NZS 4777.2", 50.0, 50.25, 52.0, 52.0)
