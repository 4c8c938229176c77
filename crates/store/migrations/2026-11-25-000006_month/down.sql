ALTER TABLE cars DROP COLUMN home_limit_soc;
ALTER TABLE cars DROP COLUMN home_hours;
ALTER TABLE cars DROP COLUMN home_a;
ALTER TABLE cars DROP COLUMN home_v;
ALTER TABLE cars DROP COLUMN home_phases;
ALTER TABLE sessions DROP COLUMN day;
