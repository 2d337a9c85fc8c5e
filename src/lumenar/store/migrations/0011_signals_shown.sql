-- What signal a unit said it showed, beside the one that it was sent; what a host reports that a display reaches.
ALTER TABLE run_setup ADD COLUMN shown TEXT CHECK (shown IS NULL OR json_valid(shown));
CREATE TABLE host_report (
    setup_id INTEGER PRIMARY KEY REFERENCES setup (id) ON DELETE CASCADE,
    max_cd_m2 REAL NOT NULL CHECK (max_cd_m2 > 0),
    full_cd_m2 REAL CHECK (full_cd_m2 > 0),
    min_cd_m2 REAL CHECK (min_cd_m2 >= 0),
    typed INTEGER NOT NULL CHECK (typed IN (0, 1))
) STRICT;
