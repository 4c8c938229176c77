CREATE TABLE readings_new (
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
    left_out TEXT,
    PRIMARY KEY (session_id, position)
) WITHOUT ROWID;
INSERT INTO readings_new
SELECT session_id, position, elapsed_min, soc, power_kw, energy_kwh, voltage_v, current_a, battery_c, ambient_c, range_km, note, left_out
FROM readings WHERE soc IS NOT NULL;
DROP TABLE readings;
ALTER TABLE readings_new RENAME TO readings;
