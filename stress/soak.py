"""Memory over many actions: at most so much above the state after the first two hundred."""

import gc
import time

from calm_relay.desk.app.memory import give_back
from stress.driver import Driver

SETTLED, MORE_MB = 200, 100.0


def run(minutes: float, most: int | None = None, first: int = 0) -> tuple[str, int]:
    """Works a window until the time is over; a line of figures, and 1 when it grew by more than it may."""
    driver, end, done = Driver(first), time.monotonic() + minutes * 60.0, 0
    settled = highest = 0.0
    while time.monotonic() < end and (most is None or done < most):
        driver.act()
        done += 1
        driver.turns.clear()
        driver.long.clear()
        if done % 50 == 0:
            gc.collect()
            give_back()
            highest = max(highest, driver.megabytes) if done > SETTLED else driver.megabytes
            settled = max(settled, driver.megabytes) if done <= SETTLED else settled
    for error in driver.errors[:5]:
        print(f"soak: {error[-900:]}", flush=True)
    grown = highest - settled
    figures = f"{done:,} actions, {settled:.0f} MB after the first {SETTLED}, at most {highest:.0f} MB after them"
    return f"soak: {figures}, {len(driver.errors)} errors", int(grown > MORE_MB) + len(driver.errors)
