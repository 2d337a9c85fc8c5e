"""The menu map of a display: read from text, corrected, and taken back."""
