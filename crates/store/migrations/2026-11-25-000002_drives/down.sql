DROP TABLE drives;
ALTER TABLE cars DROP COLUMN drag_area_m2;
ALTER TABLE cars DROP COLUMN mass_kg;
