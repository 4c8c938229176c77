-- What was paid for a charge, and when it began: minutes after midnight, by the stall's clock.
ALTER TABLE sessions ADD COLUMN paid DOUBLE;
ALTER TABLE sessions ADD COLUMN began_min DOUBLE;

-- A car's own charger: its most amperes on each phase, and the share of the plug's energy that is not stored, %.
ALTER TABLE cars ADD COLUMN ac_a DOUBLE;
ALTER TABLE cars ADD COLUMN ac_loss_percent DOUBLE;

-- A trip by the clock: when it leaves (civil time), in which time zone, and what is wished beside it, as trip JSON has it.
ALTER TABLE trips ADD COLUMN departure TEXT;
ALTER TABLE trips ADD COLUMN time_zone TEXT;
ALTER TABLE trips ADD COLUMN wishes TEXT;

-- A long-run average is a drive without a time.
CREATE TABLE drives_new (
    id INTEGER NOT NULL PRIMARY KEY AUTOINCREMENT,
    car_id INTEGER NOT NULL REFERENCES cars (id) ON DELETE CASCADE,
    day TEXT,
    km DOUBLE NOT NULL,
    minutes DOUBLE,
    -- Energy by the car's meter, else SoC before and after.
    kwh DOUBLE,
    soc_before DOUBLE,
    soc_after DOUBLE,
    outside_c DOUBLE,
    load_kg DOUBLE,
    headwind_kmh DOUBLE,
    climb_m DOUBLE,
    descent_m DOUBLE,
    guess_kwh_per_100km DOUBLE,
    heating_kw DOUBLE,
    note TEXT,
    left_out TEXT,
    CHECK (kwh IS NOT NULL OR (soc_before IS NOT NULL AND soc_after IS NOT NULL))
);
INSERT INTO drives_new
SELECT id, car_id, day, km, minutes, kwh, soc_before, soc_after, outside_c, load_kg, headwind_kmh, climb_m, descent_m,
    guess_kwh_per_100km, heating_kw, note, left_out
FROM drives;
DROP TABLE drives;
ALTER TABLE drives_new RENAME TO drives;
CREATE INDEX drives_of_car ON drives (car_id);
