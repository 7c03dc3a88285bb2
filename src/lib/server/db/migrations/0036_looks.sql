-- Who asked to look at the screen of a device, why, and what whoever was on it said; until when it may be looked at.
CREATE TABLE endpoint_looks(
	id INTEGER PRIMARY KEY, endpoint_id INTEGER NOT NULL REFERENCES endpoints(id), person_id INTEGER NOT NULL REFERENCES people(id),
	operator_id INTEGER, by TEXT NOT NULL, why TEXT NOT NULL, asked INTEGER NOT NULL, answered INTEGER NOT NULL,
	answer TEXT NOT NULL CHECK (answer IN ('yes', 'no', 'nobody')), ends INTEGER NOT NULL
) STRICT;
CREATE INDEX endpoint_looks_by_device ON endpoint_looks(endpoint_id, asked);
