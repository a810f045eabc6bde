"""Imports without what nothing uses."""

import subprocess
import sys

ASKED = """
import sys
from calm_relay.physics.lean import lean_pandas
lean_pandas()
import pandas, pvlib
assert "pyarrow" not in sys.modules, "the table engine came along"
lean_pandas()
import pyarrow
print(pyarrow.table({"a": [1, 2]}).num_rows, pandas.DataFrame({"a": [1.0]}).a.sum())
"""


def test_pandas_comes_without_the_table_engine_which_can_be_used_all_the_same():
    done = subprocess.run([sys.executable, "-W", "error", "-c", ASKED], capture_output=True, text=True)
    assert done.stdout.split() == ["2", "1.0"], done.stderr


PARTS = """
import sys
from calm_relay.physics.lean import lean_pvlib
lean_pvlib()
from pvlib import atmosphere, clearsky, iam, irradiance, snow, spa, temperature
assert "pvlib.iotools" not in sys.modules, "readers of files came along"
import pvlib
assert temperature.faiman(800.0, 20.0, 2.0) == pvlib.temperature.faiman(800.0, 20.0, 2.0)
print(pvlib.__file__.endswith("__init__.py"), hasattr(pvlib, "pvsystem"), hasattr(pvlib, "nothing"))
"""


def test_of_pvlib_only_what_is_named_is_imported_and_all_can_be():
    done = subprocess.run([sys.executable, "-W", "error", "-c", PARTS], capture_output=True, text=True)
    assert done.stdout.split() == ["True", "True", "False"], done.stderr


WARM = """
import sys
from calm_relay.exchange.shipped import demo_job, library
from calm_relay.planning.plan import plan
plan(demo_job(), library())
print(*(name for name in ("pandas", "pvlib", "scipy.optimize", "scipy.stats") if name in sys.modules))
"""


def test_a_plan_whose_sky_is_known_imports_nothing_that_makes_skies():
    for _ in range(2):
        done = subprocess.run([sys.executable, "-c", WARM], capture_output=True, text=True, check=True)
    assert done.stdout.split() == []
