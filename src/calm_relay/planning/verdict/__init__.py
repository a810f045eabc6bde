"""Which option fits the purposes best, and why."""
