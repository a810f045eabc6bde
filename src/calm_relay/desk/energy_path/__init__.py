"""The line, the moment and the margin."""
