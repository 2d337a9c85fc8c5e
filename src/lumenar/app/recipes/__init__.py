"""Recipes: recommended settings as steps, why they are so, and how they are checked."""
