-- The conditions that a trip's road is driven under, and the track that it came from, as GeoJSON.
ALTER TABLE trips ADD COLUMN road_kmh DOUBLE NOT NULL DEFAULT 100;
ALTER TABLE trips ADD COLUMN outside_c DOUBLE NOT NULL DEFAULT 15;
ALTER TABLE trips ADD COLUMN wind_kmh DOUBLE NOT NULL DEFAULT 0;
ALTER TABLE trips ADD COLUMN wind_from_deg DOUBLE NOT NULL DEFAULT 270;
ALTER TABLE trips ADD COLUMN wet BOOLEAN NOT NULL DEFAULT FALSE;
ALTER TABLE trips ADD COLUMN load_kg DOUBLE NOT NULL DEFAULT 0;
ALTER TABLE trips ADD COLUMN heating_kw DOUBLE;
ALTER TABLE trips ADD COLUMN track TEXT;

-- Segments become stretches of road: speed and consumption are known only where somebody said them. Those there were keep theirs.
CREATE TABLE trip_stretches (
    trip_id INTEGER NOT NULL REFERENCES trips (id) ON DELETE CASCADE,
    position INTEGER NOT NULL,
    km DOUBLE NOT NULL,
    kmh DOUBLE,
    kwh_per_100km DOUBLE,
    climb_m DOUBLE NOT NULL DEFAULT 0,
    descent_m DOUBLE NOT NULL DEFAULT 0,
    height_m DOUBLE NOT NULL DEFAULT 0,
    toward_deg DOUBLE,
    straight DOUBLE,
    outside_c DOUBLE,
    wind_kmh DOUBLE,
    wind_from_deg DOUBLE,
    wet BOOLEAN,
    load_kg DOUBLE,
    heating_kw DOUBLE,
    PRIMARY KEY (trip_id, position)
) WITHOUT ROWID;
INSERT INTO trip_stretches (trip_id, position, km, kmh, kwh_per_100km)
    SELECT trip_id, position, km, kmh, kwh_per_100km FROM trip_segments;
DROP TABLE trip_segments;
-- The name stays, so that a file of everything from before is read as well.
ALTER TABLE trip_stretches RENAME TO trip_segments;

-- What is known of a site beside what the planner weighs. The wait is a part of the fixed minutes.
ALTER TABLE trip_sites ADD COLUMN wait_min DOUBLE NOT NULL DEFAULT 0;
ALTER TABLE trip_sites ADD COLUMN stalls INTEGER;
ALTER TABLE trip_sites ADD COLUMN out_of_order INTEGER;
ALTER TABLE trip_sites ADD COLUMN cabinet_stalls INTEGER;
ALTER TABLE trip_sites ADD COLUMN opening_hours TEXT;
ALTER TABLE trip_sites ADD COLUMN connectors TEXT NOT NULL DEFAULT '';
ALTER TABLE trip_sites ADD COLUMN facilities TEXT;
ALTER TABLE trip_sites ADD COLUMN note TEXT;
