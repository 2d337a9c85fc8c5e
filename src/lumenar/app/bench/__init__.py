"""The bench: its occupancy, instruments, queue of runs and live view."""
