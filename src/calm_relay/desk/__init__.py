"""Qt Widgets only: windows, benches, painted diagrams. Decides nothing."""
