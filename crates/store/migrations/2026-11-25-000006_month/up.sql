-- The day of a charge, where it is known; else the day it was kept counts.
ALTER TABLE sessions ADD COLUMN day TEXT;

-- Charging at home: the post's phases, volts and amperes, hours of a night, and the SoC where it stops.
ALTER TABLE cars ADD COLUMN home_phases INTEGER;
ALTER TABLE cars ADD COLUMN home_v DOUBLE;
ALTER TABLE cars ADD COLUMN home_a DOUBLE;
ALTER TABLE cars ADD COLUMN home_hours DOUBLE;
ALTER TABLE cars ADD COLUMN home_limit_soc DOUBLE;
