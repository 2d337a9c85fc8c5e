-- What signal a unit said it showed, beside the one that it was sent.
ALTER TABLE run_setup ADD COLUMN shown TEXT CHECK (shown IS NULL OR json_valid(shown));
