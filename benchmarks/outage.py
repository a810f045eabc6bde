"""The house in an outage and alone: the survival map, a night and its two schools, a lone year and its sizes."""

from benchmarks.measure import Result, timed
from benchmarks.plans import plan
from calm_relay.exchange.shipped import demo_job
from calm_relay.planning.studies.backup_board import schools_of
from calm_relay.planning.studies.off_grid import off_grid_year_of, size_off_grid
from calm_relay.planning.studies.outage import rehearse
from calm_relay.planning.studies.survival import every_survival, survival_of

# 17:00 on the longest night of the year in the north.
STEP = 347 * 96 + 68


def results() -> list[Result]:
    """The pottery's add-on, every option of the dairy, the cottage's board and the hut."""
    pottery, dairy, cottage, hut = (plan(demo_job(name)) for name in ("pottery", "dairy", "cottage", "hut"))
    addon, micro = pottery.option("ac-addon"), cottage.option("micro-ac")
    hybrid, bus = hut.option("hybrid-swap"), hut.option("ac-bus")
    return [
        timed("survival map, 8,760 starts", lambda: survival_of(pottery, addon), 2000.0, 5),
        timed("survival map, AC bus alone", lambda: survival_of(hut, bus), 2000.0, 5),
        timed("survival maps, every option of the dairy", lambda: every_survival(dairy), None, 3),
        timed("a night rehearsed, 30 h by minutes", lambda: rehearse(cottage, micro, STEP, 30.0), None, 5),
        timed("both schools held against it", lambda: schools_of(cottage, micro, STEP, 30.0), None, 3),
        timed("plan off grid, five options", lambda: plan(demo_job("hut")), None, 5),
        timed("a year alone read off, 1,460 full batteries", lambda: off_grid_year_of(hut, hybrid), None, 3),
        timed("map of 36 sizes alone", lambda: size_off_grid(hut, hybrid), None, 3),
    ]
