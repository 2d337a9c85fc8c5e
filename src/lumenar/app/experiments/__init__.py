"""Experiments: questions about a menu, room light and features, and what was found."""
