"""Live readings as CSV: a row for each answer, written through to the disk, so that a kill loses none."""

import csv
from pathlib import Path
from typing import Any, Final

from calm_relay.exchange.table_file import shown_cell

HEAD: Final = (
    "time_utc", "device_time_utc", "device", "part", "ac_kw", "grid_kw", "battery_kw", "state_of_charge", "battery_v",
    "frequency_hz", "pv_kw", "inputs", "problem",
)  # fmt: skip


class ReadingsRecorder:
    """Writes answers into a new file until it is closed.

    Raises
    ------
    OSError
        When the file cannot be made.
    """

    def __init__(self, path: Path | str) -> None:
        self.path = Path(path)
        self.rows = 0
        # The file stays open as long as it is recorded into.
        self._stream = self.path.open("w", newline="", encoding="utf-8")
        self._writer = csv.writer(self._stream)
        self._writer.writerow(HEAD)
        self._stream.flush()

    def take(self, answer: Any, part: str) -> str:
        """Adds a row; returns what is wrong where it could not be written, else nothing.

        Parameters
        ----------
        answer : fieldbus.poller.Answer
            What came of asking a device.
        part : str
            What part of the plant it is.
        """
        try:
            self._writer.writerow([shown_cell(cell) for cell in row_of(answer, part)])
            self._stream.flush()
        except OSError as error:
            return f"{self.path}: {error.strerror or error}"
        self.rows += 1
        return ""

    def close(self) -> None:
        """Ends the file."""
        self._stream.close()


def row_of(answer: Any, part: str) -> list[Any]:
    """An answer as a row under `HEAD`; what a device does not say is empty."""
    reading = answer.reading
    stamp = answer.at.strftime("%Y-%m-%dT%H:%M:%S.%fZ")
    if reading is None:
        return [stamp, "", answer.address.words, part, *[""] * 8, answer.problem]
    inverter, battery, meter = reading.inverter, reading.battery, reading.meter
    inputs = inverter.inputs if inverter is not None else ()
    return [
        stamp,
        reading.clock.strftime("%Y-%m-%dT%H:%M:%SZ") if reading.clock is not None else "",
        answer.address.words,
        part,
        _number(inverter and inverter.kw),
        _number(meter and meter.kw),
        _number(battery and battery.kw),
        _number(battery and battery.soc),
        _number(battery and battery.volts),
        _number(inverter and inverter.hz),
        _number(sum(item.kw or 0.0 for item in inputs) if inputs else None),
        "; ".join(f"{item.name}: {_number(item.volts)} V {_number(item.amps)} A" for item in inputs),
        "",
    ]


def _number(value: Any) -> str:
    return f"{value:.6g}" if isinstance(value, float | int) else ""
