"""What is painted from arrays."""
