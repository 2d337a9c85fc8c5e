"""Displays: what is known of each sample, the unit files that ship, and targets of one's own."""
