"""Lumenar: measure every picture mode of a display, score it, publish it so that anyone can recompute it."""

__version__ = "0.1.0"
