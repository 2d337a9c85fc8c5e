-- A light state never changes, since setups were measured in it and go back to it: another lux is another state.
CREATE TABLE condition_7 (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    review_id INTEGER NOT NULL REFERENCES review (id) ON DELETE CASCADE,
    label TEXT NOT NULL CHECK (length(label) BETWEEN 1 AND 80),
    -- NULL where nobody measured it: a light state may have a label and a distance alone.
    lux REAL CHECK (lux >= 0),
    note TEXT NOT NULL DEFAULT ''
) STRICT;
INSERT INTO condition_7 SELECT id, review_id, label, lux, note FROM condition;
-- Numbers of what was deleted stay used.
DELETE FROM sqlite_sequence WHERE name = 'condition_7';
INSERT INTO sqlite_sequence (name, seq) SELECT 'condition_7', seq FROM sqlite_sequence WHERE name = 'condition';
DROP TABLE condition;
ALTER TABLE condition_7 RENAME TO condition;
CREATE UNIQUE INDEX condition_once ON condition (review_id, label, coalesce(lux, -1), note);

-- What a setup was in, and nobody keeps any more, is not known.
UPDATE setup_change SET was = json_set(was, '$.condition_id', NULL)
    WHERE was->>'$.condition_id' IS NOT NULL AND was->>'$.condition_id' NOT IN (SELECT id FROM condition);

-- A mode may stand under two signals, and ships with something under each.
DROP INDEX setup_shipped;
CREATE UNIQUE INDEX setup_shipped ON setup (unit_id, mode, signal) WHERE shipped = 1;
