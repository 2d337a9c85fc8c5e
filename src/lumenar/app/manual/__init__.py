"""Manual runs: a person enters the meter's numbers."""
