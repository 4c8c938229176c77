ALTER TABLE trip_sites DROP COLUMN note;
ALTER TABLE trip_sites DROP COLUMN facilities;
ALTER TABLE trip_sites DROP COLUMN connectors;
ALTER TABLE trip_sites DROP COLUMN opening_hours;
ALTER TABLE trip_sites DROP COLUMN cabinet_stalls;
ALTER TABLE trip_sites DROP COLUMN out_of_order;
ALTER TABLE trip_sites DROP COLUMN stalls;
ALTER TABLE trip_sites DROP COLUMN wait_min;
CREATE TABLE trip_stretches (
    trip_id INTEGER NOT NULL REFERENCES trips (id) ON DELETE CASCADE,
    position INTEGER NOT NULL,
    km DOUBLE NOT NULL,
    kmh DOUBLE NOT NULL,
    kwh_per_100km DOUBLE NOT NULL,
    PRIMARY KEY (trip_id, position)
) WITHOUT ROWID;
INSERT INTO trip_stretches (trip_id, position, km, kmh, kwh_per_100km)
    SELECT trip_id, position, km, coalesce(kmh, 100), coalesce(kwh_per_100km, 18) FROM trip_segments;
DROP TABLE trip_segments;
ALTER TABLE trip_stretches RENAME TO trip_segments;
ALTER TABLE trips DROP COLUMN track;
ALTER TABLE trips DROP COLUMN heating_kw;
ALTER TABLE trips DROP COLUMN load_kg;
ALTER TABLE trips DROP COLUMN wet;
ALTER TABLE trips DROP COLUMN wind_from_deg;
ALTER TABLE trips DROP COLUMN wind_kmh;
ALTER TABLE trips DROP COLUMN outside_c;
ALTER TABLE trips DROP COLUMN road_kmh;
