-- What is known of the car before any drive: empty mass and drag area.
ALTER TABLE cars ADD COLUMN mass_kg DOUBLE;
ALTER TABLE cars ADD COLUMN drag_area_m2 DOUBLE;

CREATE TABLE drives (
    id INTEGER NOT NULL PRIMARY KEY AUTOINCREMENT,
    car_id INTEGER NOT NULL REFERENCES cars (id) ON DELETE CASCADE,
    day TEXT,
    km DOUBLE NOT NULL,
    minutes DOUBLE NOT NULL,
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
CREATE INDEX drives_of_car ON drives (car_id);
