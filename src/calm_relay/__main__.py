"""Runs the command line: `python -m calm_relay`."""

import sys

from calm_relay.cli import main

sys.exit(main())
