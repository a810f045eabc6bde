import sys

from calm_relay.cli import main

sys.exit(main())
