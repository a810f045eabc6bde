"""Prints every benchmark, or those of the rooms named; ends with 1 when a promise is not kept."""

import argparse
import os
import sys
from importlib import import_module

ROOMS = ("kernel", "survey", "whole", "battery", "outage", "own_job", "handover", "field", "book")

parser = argparse.ArgumentParser(prog="./run bench", description=__doc__)
parser.add_argument("rooms", nargs="*", metavar="ROOM", help=f"of {', '.join(ROOMS)}; all when left out")
rooms = parser.parse_args().rooms or ROOMS
unknown = [room for room in rooms if room not in ROOMS]
if unknown:
    parser.error(f"there is no {unknown[0]!r}; wanted of {', '.join(ROOMS)}")
print(f"on {os.cpu_count()} processors; warm unless said otherwise")
kept = True
for room in rooms:
    for result in import_module(f"benchmarks.{room}").results():
        print(result.line(), flush=True)
        kept = kept and result.kept
sys.exit(not kept)
