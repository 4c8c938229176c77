ALTER TABLE sessions DROP COLUMN paid;
ALTER TABLE sessions DROP COLUMN began_min;
ALTER TABLE cars DROP COLUMN ac_a;
ALTER TABLE cars DROP COLUMN ac_loss_percent;
ALTER TABLE trips DROP COLUMN departure;
ALTER TABLE trips DROP COLUMN time_zone;
ALTER TABLE trips DROP COLUMN wishes;

DELETE FROM drives WHERE minutes IS NULL;
