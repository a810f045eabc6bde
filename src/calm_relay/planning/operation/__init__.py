"""A design in operation: its simulated year, its outcome, its island."""
