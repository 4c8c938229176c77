CREATE TABLE tariffs (
    id INTEGER NOT NULL PRIMARY KEY AUTOINCREMENT,
    name TEXT NOT NULL,
    currency TEXT NOT NULL,
    -- An OCPI 2.2.1 tariff object, JSON.
    ocpi TEXT NOT NULL,
    created_at TEXT NOT NULL DEFAULT CURRENT_TIMESTAMP
);

CREATE TABLE memberships (
    id INTEGER NOT NULL PRIMARY KEY AUTOINCREMENT,
    tariff_id INTEGER NOT NULL REFERENCES tariffs (id) ON DELETE CASCADE,
    name TEXT NOT NULL,
    -- Decimal numbers, digit for digit.
    monthly_fee TEXT NOT NULL,
    percent_off TEXT,
    -- The tariff that members pay, where it is another one.
    own_tariff_id INTEGER REFERENCES tariffs (id) ON DELETE CASCADE,
    CHECK ((percent_off IS NULL) <> (own_tariff_id IS NULL))
);

ALTER TABLE trip_sites ADD COLUMN tariff_id INTEGER REFERENCES tariffs (id) ON DELETE SET NULL;
