"""How much a finding weighs."""

from enum import IntEnum


class Severity(IntEnum):
    """It stops the job, wants watching, or holds."""

    STOP = 0
    CHECK = 1
    OK = 2
