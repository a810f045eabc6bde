"""Field devices over open protocols, and the simulated site that stands in for them."""
