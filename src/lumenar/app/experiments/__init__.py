"""Experiments about menus, room light and automatic features, and their results."""
