"""Speed and size, shown side by side in one run."""
