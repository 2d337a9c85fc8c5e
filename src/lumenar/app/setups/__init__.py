"""Setups: modes with their settings, added, changed, restored and annotated."""
