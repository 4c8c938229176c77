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
