"""The bench: instruments behind ports, the runner, and the simulated ones that ship with Lumenar."""
