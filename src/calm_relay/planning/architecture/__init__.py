"""The ways to couple a battery: what each is built from, costs and is refused for."""
