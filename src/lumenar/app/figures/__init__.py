"""Figures: from committed readings to stored analyses, at once or in the background."""
