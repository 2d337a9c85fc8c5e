"""Scores: how figures become points, and points a score for one purpose."""
