"""Cables and what protects them: sized from the topology, the job's routes and a region's tables."""
