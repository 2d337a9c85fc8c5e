"""Readings in and out: the readings file, CSV and CGATS tables."""
