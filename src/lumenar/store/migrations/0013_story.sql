-- What an editor writes to the report of a review: every version, none of which is changed or deleted. follows: the version that
-- its text was edited from, 0 for a report that nobody has edited; restores: the version whose text this one shows again, set by undo
-- and redo.
CREATE TABLE story (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    review_id INTEGER NOT NULL REFERENCES review (id) ON DELETE CASCADE,
    version INTEGER NOT NULL CHECK (version > 0),
    follows INTEGER NOT NULL CHECK (follows >= 0),
    restores INTEGER CHECK (restores >= 0),
    saved_at TEXT NOT NULL,
    document TEXT NOT NULL CHECK (json_valid(document)),
    UNIQUE (review_id, version)
) STRICT;
