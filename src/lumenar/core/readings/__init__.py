"""Readings: patches, light as arrays with what it is judged by, and readings as people type them."""
