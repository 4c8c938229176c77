-- People with an account, where the app is served to a network.
CREATE TABLE people (
    id INTEGER NOT NULL PRIMARY KEY AUTOINCREMENT,
    name TEXT NOT NULL COLLATE NOCASE UNIQUE,
    role TEXT NOT NULL CHECK (role IN ('owner', 'member', 'guest')),
    -- Argon2id, as a PHC string; none until one is chosen.
    password TEXT,
    -- Raised to sign out everywhere.
    epoch INTEGER NOT NULL DEFAULT 0,
    -- SHA-256 of a code with which a password may be chosen, and until when, in seconds since 1970.
    code_hash TEXT,
    code_until BIGINT,
    added_at TEXT NOT NULL DEFAULT CURRENT_TIMESTAMP
);

-- How they read and write; no row means as everybody.
CREATE TABLE settings_of_people (
    person_id INTEGER NOT NULL PRIMARY KEY REFERENCES people (id) ON DELETE CASCADE,
    distance TEXT NOT NULL,
    consumption TEXT NOT NULL,
    temperature TEXT NOT NULL,
    clock TEXT NOT NULL,
    currency TEXT NOT NULL
);

-- Browsers that are signed in.
CREATE TABLE sign_ins (
    id TEXT NOT NULL PRIMARY KEY,
    data TEXT NOT NULL,
    -- Seconds since 1970.
    until BIGINT NOT NULL
) WITHOUT ROWID;

-- What one person alone sees; what stands in neither is the household's.
CREATE TABLE private_cars (
    car_id INTEGER NOT NULL PRIMARY KEY REFERENCES cars (id) ON DELETE CASCADE,
    person_id INTEGER NOT NULL REFERENCES people (id) ON DELETE CASCADE
);
CREATE TABLE private_trips (
    trip_id INTEGER NOT NULL PRIMARY KEY REFERENCES trips (id) ON DELETE CASCADE,
    person_id INTEGER NOT NULL REFERENCES people (id) ON DELETE CASCADE
);

-- Links that show one trip to whoever has them.
CREATE TABLE trip_links (
    id INTEGER NOT NULL PRIMARY KEY AUTOINCREMENT,
    trip_id INTEGER NOT NULL REFERENCES trips (id) ON DELETE CASCADE,
    -- SHA-256 of what the link holds.
    token_hash TEXT NOT NULL UNIQUE,
    made_at TEXT NOT NULL DEFAULT CURRENT_TIMESTAMP
);
