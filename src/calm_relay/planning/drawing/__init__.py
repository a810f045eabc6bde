"""Drawings of a design as plain shapes in millimetres, for the screen, for paper and for files."""
