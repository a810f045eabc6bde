"""What the benches, the papers and the files show, ready to be drawn."""
