-- The second factor of people in the portal, as operators have theirs.
CREATE TABLE person_factors(
	person_id INTEGER PRIMARY KEY REFERENCES people(id), factor_secret TEXT, factor_on INTEGER NOT NULL DEFAULT 0, factor_last INTEGER NOT NULL DEFAULT 0
) STRICT;
