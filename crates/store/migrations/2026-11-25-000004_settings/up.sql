-- How a person reads and writes: units, clock, currency. No row means the usual ones.
CREATE TABLE settings (
    id INTEGER NOT NULL PRIMARY KEY CHECK (id = 1),
    distance TEXT NOT NULL,
    consumption TEXT NOT NULL,
    temperature TEXT NOT NULL,
    clock TEXT NOT NULL,
    currency TEXT NOT NULL
);
