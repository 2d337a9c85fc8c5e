"""What a review shows: its Board, the Shelf, charts, comparison and pictures."""
