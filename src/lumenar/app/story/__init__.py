"""What editors write to reports."""
