"""The bench: who uses it, its instruments, its queue of runs, and what is shown of it."""
