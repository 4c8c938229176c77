DROP TABLE settings;
