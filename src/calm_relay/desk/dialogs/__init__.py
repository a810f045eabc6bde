"""Forms that open over the window."""
