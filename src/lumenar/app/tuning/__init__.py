"""Tunings: the search for better settings, step by step, and what it gained."""
