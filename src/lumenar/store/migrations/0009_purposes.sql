-- What a person wants a display for beyond the purposes that ship: title, meaning, target, weights and core figures.
CREATE TABLE purpose (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    key TEXT NOT NULL UNIQUE,
    document TEXT NOT NULL CHECK (json_valid(document)),
    changed_at TEXT NOT NULL
) STRICT;
