"""Files of every kind, cut, overwritten and repeated: read, or refused in words that name the file."""

import random
import tempfile
import time
from pathlib import Path

from calm_relay.exchange.datasheet import read_sheet
from calm_relay.exchange.errors import InputError
from calm_relay.exchange.own_equipment import read_bundle
from calm_relay.exchange.spreadsheet import read_spreadsheet
from stress.tally import limit_s
from tests.datasheets import HYBRID, write_pdf
from tests.exchange.test_spoilt_files import READERS, spoilt

SLOW_S = 2.0


def _samples(folder: Path) -> list[tuple[str, bytes, object]]:
    from openpyxl import Workbook

    samples = [(name, content, read) for name, content, read, *_ in READERS.values() if content is not None]
    samples.append(("sheet.pdf", write_pdf(folder / "a.pdf", HYBRID).read_bytes(), read_sheet))
    book = Workbook()
    for row in (["Name", "Pmax (W)", "Price"], ["LM-400", 400, 92.5], ["LM-405", 405, 95.0]):
        book.active.append(row)
    book.save(folder / "a.xlsx")
    samples.append(("list.xlsx", (folder / "a.xlsx").read_bytes(), read_spreadsheet))
    samples.append(("list.csv", b"Name;Pmax (W);Price\nLM-400;400;92,5\nLM-405;405;95,0\n", read_spreadsheet))
    bundle = b'{"format": "calm-relay-equipment-bundle", "schema_version": 1, "modules": []}'
    return [*samples, ("own.json", bundle, read_bundle)]


def run(minutes: float, most: int | None = None, first: int = 0) -> tuple[str, int]:
    """Reads spoilt files until the time is over; a line of figures, and the number of faults."""
    end, count, faults, refused, slowest = time.monotonic() + minutes * 60.0, 0, 0, 0, 0.0
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        samples = _samples(folder)
        while time.monotonic() < end and (most is None or count < most):
            random_ = random.Random(first + count)
            file, content, read = samples[count % len(samples)]
            path = folder / file
            path.write_bytes(spoilt(content, random_.randint))
            begun, worked = time.monotonic(), time.process_time()
            try:
                read(path)  # type: ignore[operator]
            except InputError as error:
                refused += 1
                if path.name not in str(error):
                    faults += 1
                    print(f"files: {first + count}: {file} is not named: {error}", flush=True)
            except Exception as error:
                faults += 1
                print(f"files: {first + count}: {file}: {type(error).__name__}: {error}", flush=True)
            slowest = max(slowest, min(time.monotonic() - begun, time.process_time() - worked))
            count += 1
    figures = f"{count:,} spoilt files, {refused:,} refused, {faults} with faults, slowest {slowest:.1f} s"
    return f"files: {figures}", faults + (slowest > limit_s(SLOW_S, most))
