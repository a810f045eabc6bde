"""A window worked at random: no exception, no plan that does not come, and the times of its thread's turns."""

import time
from collections import Counter

from stress.driver import Driver


def run(minutes: float, most: int | None = None, first: int = 0) -> tuple[str, int]:
    """Works a window until the time is over; a line of figures, and the number of faults."""
    driver, end, done = Driver(first), time.monotonic() + minutes * 60.0, 0
    driver.turns.clear()
    driver.long.clear()
    while time.monotonic() < end and (most is None or done < most):
        driver.act()
        done += 1
    for error, count in Counter(driver.errors).most_common(8):
        print(f"window: {count} times {error[-900:]}", flush=True)
    by_action: dict[str, list[float]] = {}
    for what, taken in driver.long:
        by_action.setdefault(what, []).append(taken * 1e3)
    for what, taken in sorted(by_action.items(), key=lambda item: -len(item[1])):
        print(f"window: {len(taken)} turns over 100 ms after {what!r}, {min(taken):.0f} to {max(taken):.0f} ms")
    turns = sorted(driver.turns)
    worst = max(driver.long, key=lambda item: item[1], default=("none", turns[-1]))
    share = 100.0 * sum(turn < 0.1 for turn in turns) / len(turns)
    figures = (
        f"{done:,} actions, {len(turns):,} turns, {share:.2f} % under 100 ms, longest {worst[1] * 1e3:.0f} ms"
    )
    return f"window: {figures} ({worst[0]}), {len(driver.errors)} errors", len(driver.errors)
