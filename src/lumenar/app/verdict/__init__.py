"""The verdict: scores by purpose, recipes, and what is missing."""
