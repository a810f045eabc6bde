"""In front of the new system: what every meter should show, what it means where it does not, and the years after."""
