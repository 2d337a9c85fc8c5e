"""Displays: samples and their menus, the unit files that ship, and targets that people define."""
