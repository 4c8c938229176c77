DROP TABLE trip_links;
DROP TABLE private_trips;
DROP TABLE private_cars;
DROP TABLE sign_ins;
DROP TABLE settings_of_people;
DROP TABLE people;
