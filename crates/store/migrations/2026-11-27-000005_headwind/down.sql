ALTER TABLE trips DROP COLUMN headwind_kmh;
