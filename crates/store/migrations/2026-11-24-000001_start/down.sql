DROP TABLE trip_sites;
DROP TABLE trip_segments;
DROP TABLE trips;
DROP TABLE readings;
DROP TABLE curves;
DROP TABLE sessions;
DROP TABLE cars;
