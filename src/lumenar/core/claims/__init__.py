"""Claims of makers: what figure tests them, and whether it holds."""
