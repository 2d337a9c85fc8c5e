"""Stand-ins: a unit computed from spectra, a meter with noise, a clock that can run fast."""
