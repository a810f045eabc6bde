"""`./run stress [PART ...] --minutes N`: one line for each part; ends with 1 when something broke."""

import argparse
import subprocess
import sys

PARTS = ("kill", "files", "jobs", "studies", "screens", "window", "soak")


def main() -> int:
    """Runs parts one after the other, each in a process of its own."""
    parser = argparse.ArgumentParser(prog="./run stress", description=__doc__)
    parser.add_argument("parts", nargs="*", choices=[*PARTS, []], metavar="PART", help=", ".join(PARTS))
    parser.add_argument("--minutes", type=float, default=5.0, help="for each part")
    parser.add_argument("--seed", type=int, default=0, help="where the draws begin")
    parser.add_argument("--here", action="store_true", help=argparse.SUPPRESS)
    words = parser.parse_args()
    if words.here:
        module = __import__(f"stress.{words.parts[0]}", fromlist=["run"])
        line, faults = module.run(words.minutes, first=words.seed)
        print(line, flush=True)
        # Threads that plan still are not waited for.
        import os

        os._exit(1 if faults else 0)
    worst = 0
    for part in words.parts or PARTS:
        command = [sys.executable, "-m", "stress", part, "--here", f"--minutes={words.minutes}"]
        worst = max(worst, subprocess.run([*command, f"--seed={words.seed}"], check=False).returncode)
    return int(worst != 0)


if __name__ == "__main__":
    sys.exit(main())
