"""Calm Relay plans how batteries join a photovoltaic system."""

__version__ = "0.2.0"
