DROP TABLE outing_events;
DROP TABLE outings;
