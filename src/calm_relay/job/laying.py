"""How a cable may be laid, what it is made of and what its insulation bears."""

from typing import Literal

Laying = Literal[
    "in an insulated wall",
    "in conduit on a wall",
    "clipped to a wall",
    "on a tray",
    "in free air",
    "buried",
    "on the roof",
]
Material = Literal["copper", "aluminium"]
Insulation = Literal["60 °C", "70 °C", "75 °C", "90 °C", "PV cable"]
Tables = Literal["iec", "bs", "as-nzs", "nec", "csa"]
