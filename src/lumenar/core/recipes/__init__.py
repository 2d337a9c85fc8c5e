"""Recommended settings, made from figures."""
