"""Experiments that find out what a menu does: pure plans of stages, and what follows from what was read."""

from __future__ import annotations
