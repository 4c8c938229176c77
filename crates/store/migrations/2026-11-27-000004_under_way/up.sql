-- Trips that were begun: each with the plan that it was begun with, as JSON. The record stays when the trip is removed.
CREATE TABLE outings (
    id INTEGER NOT NULL PRIMARY KEY AUTOINCREMENT,
    trip_id INTEGER NOT NULL,
    car_id INTEGER,
    name TEXT NOT NULL,
    currency TEXT NOT NULL,
    plan TEXT NOT NULL,
    begun_at TEXT NOT NULL DEFAULT CURRENT_TIMESTAMP,
    -- Whether it is over: then it is in the ledger.
    is_over BOOLEAN NOT NULL DEFAULT FALSE
);

-- What happened on them.
CREATE TABLE outing_events (
    outing_id INTEGER NOT NULL REFERENCES outings (id) ON DELETE CASCADE,
    position INTEGER NOT NULL,
    event TEXT NOT NULL,
    -- JSON, as docs/formats/events.md says.
    line TEXT NOT NULL,
    PRIMARY KEY (outing_id, position),
    UNIQUE (outing_id, event)
) WITHOUT ROWID;
