"""Compiles the kernel once and leaves it in Numba's cache, so that the first plan need not wait."""

import numpy as np

from calm_relay.physics.plant import BatteryPart, ConverterPart
from calm_relay.physics.year import run_plant


def warm() -> None:
    """Runs the kernel on one step."""
    run_plant([ConverterPart(1.0, True, battery=BatteryPart(1.0, 1.0, 1.0))], np.ones((1, 1)), np.ones(1), 0.25)


if __name__ == "__main__":
    warm()
