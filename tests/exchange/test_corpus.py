"""Small files that once broke a reader, each kept as it was found: read, or refused in words that name the file."""

from pathlib import Path

import pytest

from calm_relay.exchange.datasheet import read_sheet
from calm_relay.exchange.errors import InputError
from calm_relay.exchange.job_file import read_job
from calm_relay.exchange.meter_file import read_meter_file
from calm_relay.exchange.own_equipment import read_bundle
from calm_relay.job.survey import MeterReading

CORPUS = Path(__file__).parents[1] / "corpus"


def read_meter(path):
    read_meter_file(path, MeterReading(), "Europe/Dublin")


READERS = {
    ".relay.json": read_job,
    ".bundle.json": read_bundle,
    ".pdf": read_sheet,
    ".journal": read_job,
    ".csv": read_meter,
    ".xml": read_meter,
}


@pytest.mark.parametrize("path", sorted(CORPUS.iterdir()), ids=lambda path: path.name)
def test_a_file_that_once_broke_a_reader_is_refused_in_words(path):
    read = next(read for ending, read in READERS.items() if path.name.endswith(ending))
    with pytest.raises(InputError) as error:
        read(path)
    assert path.name in str(error.value) and error.value.problem
