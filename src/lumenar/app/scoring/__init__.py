"""Scores of setups, and the purposes that people add."""
