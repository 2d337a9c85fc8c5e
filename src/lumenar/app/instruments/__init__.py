"""Meters, their corrections and their floors."""
