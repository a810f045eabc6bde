"""Records the demos named, all of them when none is, and says which figures moved."""

import json
import sys

from calm_relay.exchange.shipped import DEMOS
from tests.goldens.compare import moved
from tests.goldens.record import golden_file, write

for name in sys.argv[1:] or DEMOS:
    before = json.loads(golden_file(name).read_text()) if golden_file(name).exists() else {}
    write(name)
    for line in moved(before, json.loads(golden_file(name).read_text())):
        print(f"{name}: {line}")
