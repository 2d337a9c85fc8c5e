"""Publication: the static report, its data package, and checking it."""
