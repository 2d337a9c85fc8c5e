-- What a patch is read for is a set of measurements, and thousands of patches share one: it is kept once, not patch by patch.
CREATE TABLE use_set (
    id INTEGER PRIMARY KEY,
    -- Sorted, so that equal sets are one row.
    measurements TEXT NOT NULL UNIQUE CHECK (json_valid(measurements))
) STRICT;

CREATE TABLE use_set_member (
    use_set INTEGER NOT NULL REFERENCES use_set (id) ON DELETE CASCADE,
    measurement TEXT NOT NULL,
    PRIMARY KEY (use_set, measurement)
) STRICT, WITHOUT ROWID;

CREATE TEMP TABLE used AS
    SELECT patch_id, json_group_array(measurement) AS measurements
    FROM (SELECT patch_id, measurement FROM patch_use ORDER BY patch_id, measurement) GROUP BY patch_id;
INSERT INTO use_set (measurements) SELECT DISTINCT measurements FROM used ORDER BY measurements;
INSERT INTO use_set_member SELECT s.id, m.value FROM use_set s CROSS JOIN json_each(s.measurements) m;

-- NULL where no measurement uses it.
ALTER TABLE patch ADD COLUMN use_set INTEGER REFERENCES use_set (id);
UPDATE patch SET use_set = s.id FROM used u JOIN use_set s ON s.measurements = u.measurements WHERE u.patch_id = patch.id;
DROP TABLE used;
DROP TABLE patch_use;
