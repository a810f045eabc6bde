"""Strings on tracker inputs, and the planner that lays them."""
