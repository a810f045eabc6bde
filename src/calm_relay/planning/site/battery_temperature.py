"""How warm the place of a battery is, and what of its power cold and heat leave."""

import numpy as np

from calm_relay.job.equipment import Pack
from calm_relay.job.survey import BatteryPlace
from calm_relay.physics.kept import kept
from calm_relay.planning.site.site_year import SiteYear

# Air of the place beside the outdoor air: common practice, no source.
HEATED_ROOM_C = 18.0
ROOM_SMOOTHING_DAYS = 3
ROOM_WARMER_C = 3.0
HEAT_BAND_C = 5.0


@kept
def battery_air_c(place: BatteryPlace, site: SiteYear) -> np.ndarray:
    """Mean air of the battery's place on each day, shape (365,) [degC].

    A heated room holds 18 degC or the outdoor mean where that is higher; an unheated one follows the outdoor mean
    of three days, 3 degC above it; outdoors it is the day's mean.
    """
    outdoor = site.weather.temp_air.reshape(365, -1).mean(axis=1)
    if place.where == "outdoors":
        air = outdoor
    elif place.where == "unheated room":
        days = [np.roll(outdoor, back) for back in range(ROOM_SMOOTHING_DAYS)]
        air = np.mean(days, axis=0) + ROOM_WARMER_C
    else:
        air = np.maximum(outdoor, HEATED_ROOM_C)
    return air if place.hottest_c is None else np.minimum(air, place.hottest_c)


def charge_derate(pack: Pack, air_c: np.ndarray) -> np.ndarray:
    """Share of the charge limit left: none below `charge_min_c`, all from `charge_full_c`; heat takes it again."""
    span = max(pack.charge_full_c - pack.charge_min_c, 1e-9)
    return np.clip((air_c - pack.charge_min_c) / span, 0.0, 1.0) * _in_heat(pack, air_c)


def discharge_derate(pack: Pack, air_c: np.ndarray) -> np.ndarray:
    """Share of the discharge limit left: none below `discharge_min_c` or above `work_max_c`."""
    return np.where(np.asarray(air_c) < pack.discharge_min_c, 0.0, 1.0) * _in_heat(pack, air_c)


def _in_heat(pack: Pack, air_c: np.ndarray) -> np.ndarray:
    """All up to 5 degC below the hottest working temperature, nothing above it."""
    return np.clip((pack.work_max_c - air_c) / HEAT_BAND_C, 0.0, 1.0)
