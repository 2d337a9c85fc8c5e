"""Findings of reviews and of readings files."""
