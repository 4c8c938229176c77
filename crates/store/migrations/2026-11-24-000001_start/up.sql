CREATE TABLE cars (
    id INTEGER NOT NULL PRIMARY KEY AUTOINCREMENT,
    name TEXT NOT NULL,
    usable_kwh DOUBLE NOT NULL,
    rated_range_km DOUBLE,
    charge_loss_percent DOUBLE NOT NULL,
    -- JSON: a list of [soc, volts].
    pack_voltage TEXT,
    -- JSON: {"minutes", "max_start_soc", "points": [[soc, kw]]}.
    boost TEXT,
    -- The curve that plans use.
    curve_id INTEGER REFERENCES curves (id) ON DELETE SET NULL,
    created_at TEXT NOT NULL DEFAULT CURRENT_TIMESTAMP
);

CREATE TABLE curves (
    id INTEGER NOT NULL PRIMARY KEY AUTOINCREMENT,
    car_id INTEGER NOT NULL REFERENCES cars (id) ON DELETE CASCADE,
    -- The session it was fitted to; a curve outlives it.
    session_id INTEGER REFERENCES sessions (id) ON DELETE SET NULL,
    name TEXT NOT NULL,
    -- JSON: a list of [soc, kw].
    points TEXT NOT NULL,
    measured_from_soc DOUBLE,
    measured_to_soc DOUBLE,
    created_at TEXT NOT NULL DEFAULT CURRENT_TIMESTAMP
);
CREATE INDEX curves_of_car ON curves (car_id);

CREATE TABLE sessions (
    id INTEGER NOT NULL PRIMARY KEY AUTOINCREMENT,
    car_id INTEGER REFERENCES cars (id) ON DELETE SET NULL,
    name TEXT NOT NULL,
    -- What the session was made from, kept as it came.
    source_name TEXT NOT NULL,
    source_text TEXT NOT NULL,
    usable_kwh DOUBLE,
    rated_range_km DOUBLE,
    meter TEXT NOT NULL CHECK (meter IN ('station', 'car')),
    car TEXT,
    software TEXT,
    site_kw DOUBLE,
    site_a DOUBLE,
    preconditioned TEXT,
    start_note TEXT,
    -- JSON: a list of [key, value].
    other TEXT NOT NULL,
    created_at TEXT NOT NULL DEFAULT CURRENT_TIMESTAMP
);

CREATE TABLE readings (
    session_id INTEGER NOT NULL REFERENCES sessions (id) ON DELETE CASCADE,
    position INTEGER NOT NULL,
    elapsed_min DOUBLE NOT NULL,
    soc DOUBLE NOT NULL,
    power_kw DOUBLE,
    energy_kwh DOUBLE,
    voltage_v DOUBLE,
    current_a DOUBLE,
    battery_c DOUBLE,
    ambient_c DOUBLE,
    range_km DOUBLE,
    note TEXT,
    PRIMARY KEY (session_id, position)
) WITHOUT ROWID;

CREATE TABLE trips (
    id INTEGER NOT NULL PRIMARY KEY AUTOINCREMENT,
    name TEXT NOT NULL,
    car_id INTEGER NOT NULL REFERENCES cars (id) ON DELETE RESTRICT,
    currency TEXT NOT NULL,
    start_soc DOUBLE NOT NULL,
    min_soc DOUBLE NOT NULL,
    arrival_soc DOUBLE NOT NULL,
    max_soc DOUBLE NOT NULL,
    value_of_time_per_hour DOUBLE,
    created_at TEXT NOT NULL DEFAULT CURRENT_TIMESTAMP
);

CREATE TABLE trip_segments (
    trip_id INTEGER NOT NULL REFERENCES trips (id) ON DELETE CASCADE,
    position INTEGER NOT NULL,
    km DOUBLE NOT NULL,
    kmh DOUBLE NOT NULL,
    kwh_per_100km DOUBLE NOT NULL,
    PRIMARY KEY (trip_id, position)
) WITHOUT ROWID;

CREATE TABLE trip_sites (
    trip_id INTEGER NOT NULL REFERENCES trips (id) ON DELETE CASCADE,
    position INTEGER NOT NULL,
    site TEXT NOT NULL,
    name TEXT NOT NULL,
    at_km DOUBLE NOT NULL,
    off_route_km DOUBLE NOT NULL,
    off_route_kmh DOUBLE NOT NULL,
    max_kw DOUBLE NOT NULL,
    max_a DOUBLE,
    overhead_min DOUBLE NOT NULL,
    per_kwh DOUBLE NOT NULL,
    per_min DOUBLE NOT NULL,
    per_session DOUBLE NOT NULL,
    PRIMARY KEY (trip_id, position)
) WITHOUT ROWID;
