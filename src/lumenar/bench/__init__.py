"""The bench: instruments behind ports, the runner, and the stand-ins that ship with Lumenar."""
