-- What somebody saw of a display beside what was measured. kind: what sort of check; document: what was made of it; picture: as it
-- was kept, with nothing in it of where and by what it was taken.
CREATE TABLE observation (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    review_id INTEGER NOT NULL REFERENCES review (id) ON DELETE CASCADE,
    setup_id INTEGER REFERENCES setup (id) ON DELETE SET NULL,
    kind TEXT NOT NULL CHECK (kind IN ('camera')),
    document TEXT NOT NULL CHECK (json_valid(document)),
    picture BLOB NOT NULL,
    made_at TEXT NOT NULL
) STRICT;
CREATE INDEX observation_of_review ON observation (review_id);
CREATE INDEX observation_of_setup ON observation (setup_id);

-- Spectra and waveforms of a stage's patches: kind, start, step and samples, null for a patch without one.
ALTER TABLE stage_read ADD COLUMN traces TEXT NOT NULL DEFAULT '[]' CHECK (json_valid(traces));
