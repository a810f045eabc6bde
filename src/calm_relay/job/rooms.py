"""Where in or at a house a battery stands, for rules that ask."""

from typing import Literal, get_args

IndoorRoom = Literal[
    "garage",
    "shed",
    "utility room",
    "cellar",
    "loft",
    "living room",
    "bedroom",
    "hall or stairs",
]
Room = Literal[IndoorRoom, "outdoors"]
INDOOR_ROOMS: tuple[IndoorRoom, ...] = get_args(IndoorRoom)
# What the battery hangs on or stands before, for rules that ask what is behind it.
Wall = Literal["masonry", "framed", "framed, lived behind"]
# As the end of a sentence.
IN_ROOM: dict[Room, str] = {
    "garage": "in the garage",
    "shed": "in a shed of its own",
    "utility room": "in the utility room",
    "cellar": "in the cellar",
    "loft": "in the loft",
    "living room": "in a living room",
    "bedroom": "in a bedroom",
    "hall or stairs": "in a hall or on stairs",
    "outdoors": "outdoors",
}
