"""One bench a file, with the panels that only it shows."""
