"""Runs: their plans with expected time and readings, and the list of runs."""
