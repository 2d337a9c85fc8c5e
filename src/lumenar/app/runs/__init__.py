"""Runs: what a plan takes in time and readings, and the list of what was measured."""
