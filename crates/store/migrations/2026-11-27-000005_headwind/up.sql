-- Headwind on stretches of which nobody knows which way they lead; from behind it is negative.
ALTER TABLE trips ADD COLUMN headwind_kmh DOUBLE NOT NULL DEFAULT 0;
