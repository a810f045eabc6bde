"""Prints every benchmark; ends with 1 when a promise is not kept."""

import os
import sys

from benchmarks import battery, book, field, handover, kernel, outage, own_job, survey, whole

results = [
    *kernel.results(),
    *survey.results(),
    *whole.results(),
    *battery.results(),
    *outage.results(),
    *own_job.results(),
    *handover.results(),
    *field.results(),
    *book.results(),
]
print(f"on {os.cpu_count()} processors; warm unless said otherwise")
for result in results:
    print(result.line())
sys.exit(not all(result.kept for result in results))
