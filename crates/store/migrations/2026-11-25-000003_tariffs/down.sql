ALTER TABLE trip_sites DROP COLUMN tariff_id;
DROP TABLE memberships;
DROP TABLE tariffs;
