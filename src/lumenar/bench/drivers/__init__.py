"""Drivers: what stands behind the ports, one file each."""
