ALTER TABLE sessions ADD COLUMN ambient_c DOUBLE;
ALTER TABLE sessions ADD COLUMN battery_c DOUBLE;
ALTER TABLE sessions ADD COLUMN preconditioned_min DOUBLE;
ALTER TABLE sessions ADD COLUMN site_v DOUBLE;
ALTER TABLE sessions ADD COLUMN shared_cabinet BOOLEAN;
ALTER TABLE sessions ADD COLUMN car_on BOOLEAN;
ALTER TABLE sessions ADD COLUMN adapter TEXT;
ALTER TABLE sessions ADD COLUMN handshake_min DOUBLE;
ALTER TABLE sessions ADD COLUMN failed_attempts INTEGER;
ALTER TABLE sessions ADD COLUMN phases INTEGER;
ALTER TABLE sessions ADD COLUMN joined TEXT;
-- JSON: a list of {"at_min", "by", "minutes", "to_soc"}.
ALTER TABLE sessions ADD COLUMN forecasts TEXT NOT NULL DEFAULT '[]';

-- What the list of sessions shows, so that it need not count readings.
ALTER TABLE sessions ADD COLUMN reading_count INTEGER NOT NULL DEFAULT 0;
ALTER TABLE sessions ADD COLUMN lowest_soc DOUBLE NOT NULL DEFAULT 0;
ALTER TABLE sessions ADD COLUMN highest_soc DOUBLE NOT NULL DEFAULT 0;
ALTER TABLE sessions ADD COLUMN minutes DOUBLE NOT NULL DEFAULT 0;
UPDATE sessions SET (reading_count, lowest_soc, highest_soc, minutes) = (
    SELECT count(*), coalesce(min(soc), 0), coalesce(max(soc), 0), coalesce(max(elapsed_min) - min(elapsed_min), 0)
    FROM readings WHERE session_id = sessions.id
);

-- Why a person left the reading out.
ALTER TABLE readings ADD COLUMN left_out TEXT;

ALTER TABLE cars ADD COLUMN test_range_km DOUBLE;
ALTER TABLE cars ADD COLUMN test_kmh DOUBLE;
ALTER TABLE cars ADD COLUMN own_kwh_per_100km DOUBLE;
-- The base of distances: rated, constant-speed or own.
ALTER TABLE cars ADD COLUMN distance_base TEXT NOT NULL DEFAULT 'rated';
ALTER TABLE cars ADD COLUMN ac_phases INTEGER;
ALTER TABLE cars ADD COLUMN ac_kw DOUBLE;

-- How a curve came to be, in words.
ALTER TABLE curves ADD COLUMN explained TEXT NOT NULL DEFAULT '';
-- JSON: a list of [soc, kw before, kw after]: the points that a person moved.
ALTER TABLE curves ADD COLUMN moved TEXT NOT NULL DEFAULT '[]';

-- A charge being measured, and after its end the record of it.
CREATE TABLE live_charges (
    id INTEGER NOT NULL PRIMARY KEY AUTOINCREMENT,
    car_id INTEGER REFERENCES cars (id) ON DELETE SET NULL,
    name TEXT NOT NULL,
    -- JSON: a list of [key, value], keys as in session CSV.
    conditions TEXT NOT NULL,
    -- What a meter names to feed readings.
    token TEXT NOT NULL UNIQUE,
    -- The session that it became.
    session_id INTEGER REFERENCES sessions (id) ON DELETE SET NULL,
    created_at TEXT NOT NULL DEFAULT CURRENT_TIMESTAMP
);

CREATE TABLE live_events (
    charge_id INTEGER NOT NULL REFERENCES live_charges (id) ON DELETE CASCADE,
    position INTEGER NOT NULL,
    event TEXT NOT NULL,
    -- JSON, as docs/formats/events.md says.
    line TEXT NOT NULL,
    PRIMARY KEY (charge_id, position),
    UNIQUE (charge_id, event)
) WITHOUT ROWID;

-- How the columns of other people's tables were matched, by their names.
CREATE TABLE column_matchings (
    signature TEXT NOT NULL PRIMARY KEY,
    -- JSON: for each column its target or null.
    targets TEXT NOT NULL,
    time_unit TEXT NOT NULL
) WITHOUT ROWID;
