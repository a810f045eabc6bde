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
