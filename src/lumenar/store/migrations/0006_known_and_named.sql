-- What a setup is beyond its menu: the light in the room, the signal's format, and where each value comes from. Targets of
-- one's own, instruments with serial numbers, corrections by serial, and what setups were before they were changed.
CREATE TABLE target (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    -- The key says all of the target (core/targets.py).
    key TEXT NOT NULL UNIQUE CHECK (key LIKE 'custom|%'),
    made_at TEXT NOT NULL
) STRICT;

CREATE TABLE condition (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    review_id INTEGER NOT NULL REFERENCES review (id) ON DELETE CASCADE,
    label TEXT NOT NULL CHECK (length(label) BETWEEN 1 AND 80),
    -- NULL where nobody measured it: a light state may have a label and a distance alone.
    lux REAL CHECK (lux >= 0),
    note TEXT NOT NULL DEFAULT '',
    UNIQUE (review_id, label)
) STRICT;

-- NULL: nobody has said it. Of a stand-in that is the dark room it stands in.
ALTER TABLE setup ADD COLUMN condition_id INTEGER REFERENCES condition (id);
-- What differs from the unit's usual signal: range, bits, chroma, refresh_hz.
ALTER TABLE setup ADD COLUMN format TEXT NOT NULL DEFAULT '{}' CHECK (json_type(format) = 'object');
-- By path "read" or "set"; a value without is assumed to be the default.
ALTER TABLE setup ADD COLUMN origins TEXT NOT NULL DEFAULT '{}' CHECK (json_type(origins) = 'object');
UPDATE setup SET origins = coalesce((SELECT json_group_object(c.key, 'set') FROM json_each(setup.changes) c), '{}');
CREATE INDEX setup_by_condition ON setup (condition_id);

-- The room's light, the signal and the declared target as they were; NULL where a run is older than that being recorded, and
-- where nobody said it.
ALTER TABLE run_setup ADD COLUMN condition TEXT CHECK (condition IS NULL OR json_valid(condition));
ALTER TABLE run_setup ADD COLUMN format TEXT CHECK (format IS NULL OR json_valid(format));
ALTER TABLE run_setup ADD COLUMN target TEXT;
UPDATE run_setup SET condition = (SELECT r.condition FROM run r WHERE r.id = run_setup.run_id);

-- What a setup was before a change, the newest last.
CREATE TABLE setup_change (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    setup_id INTEGER NOT NULL REFERENCES setup (id) ON DELETE CASCADE,
    changed_at TEXT NOT NULL,
    was TEXT NOT NULL CHECK (json_valid(was))
) STRICT;
CREATE INDEX setup_change_by_setup ON setup_change (setup_id);

CREATE TABLE instrument (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    role TEXT NOT NULL CHECK (role IN ('meter', 'reference', 'waveform', 'source', 'room')),
    driver TEXT NOT NULL,
    kind TEXT NOT NULL CHECK (kind IN ('colorimeter', 'spectroradiometer', 'photodiode', 'luminance meter', 'other')),
    name TEXT NOT NULL CHECK (length(name) BETWEEN 1 AND 80),
    serial TEXT NOT NULL DEFAULT '',
    calibrated_on TEXT,
    -- Relative, one standard deviation, and in cd/m2; NULL where nobody states it.
    repeatability REAL CHECK (repeatability BETWEEN 0 AND 0.5),
    floor REAL CHECK (floor >= 0),
    note TEXT NOT NULL DEFAULT '',
    UNIQUE (name, serial)
) STRICT;

-- The working meter's serial number; empty where it was not recorded.
ALTER TABLE correction ADD COLUMN serial TEXT NOT NULL DEFAULT '';

-- Equal samples of a review share a menu, also where one of them says 80 and the other 80.0.
UPDATE unit SET menu_id = (
    SELECT min(o.menu_id) FROM unit o JOIN menu n ON n.id = o.menu_id JOIN menu m ON m.id = unit.menu_id
    WHERE o.review_id = unit.review_id AND evened(n.document) = evened(m.document)
);
DELETE FROM menu WHERE id NOT IN (SELECT menu_id FROM unit);

-- What a person said of defaults that a change corrected: "were" what was measured, or have "changed" since.
ALTER TABLE menu_change ADD COLUMN answer TEXT NOT NULL DEFAULT '' CHECK (answer IN ('', 'were', 'changed'));

-- Who starts a run says a key of their own, so that asking twice starts it once.
ALTER TABLE run ADD COLUMN key TEXT;
CREATE UNIQUE INDEX run_by_key ON run (key) WHERE key IS NOT NULL;
