-- Where the devices of a site have their addresses.
CREATE TABLE endpoint_ranges(site_id TEXT NOT NULL REFERENCES sites(id), range TEXT NOT NULL, PRIMARY KEY (site_id, range)) STRICT, WITHOUT ROWID;
-- Devices that people sit at, by serial number; one with the same number and another key is a copy, and is known apart.
CREATE TABLE endpoints(
	id INTEGER PRIMARY KEY, serial TEXT NOT NULL, key TEXT NOT NULL, first_at INTEGER NOT NULL, UNIQUE (serial, key)
) STRICT;
-- What is known of them, from when until when. `person_id`: who was on it last.
CREATE TABLE endpoint_facts(
	endpoint_id INTEGER NOT NULL REFERENCES endpoints(id), since INTEGER NOT NULL, until INTEGER NOT NULL,
	name TEXT NOT NULL, device TEXT NOT NULL, model TEXT NOT NULL, hardware TEXT NOT NULL, firmware TEXT NOT NULL, address TEXT NOT NULL,
	site_id TEXT, person_id INTEGER REFERENCES people(id), PRIMARY KEY (endpoint_id, since)
) STRICT, WITHOUT ROWID;
CREATE INDEX endpoint_facts_by_person ON endpoint_facts(person_id, until) WHERE person_id IS NOT NULL;
CREATE TABLE endpoint_states(
	endpoint_id INTEGER NOT NULL REFERENCES endpoints(id), since INTEGER NOT NULL, until INTEGER NOT NULL,
	state TEXT NOT NULL CHECK (state IN ('awake', 'asleep')), person_id INTEGER REFERENCES people(id), PRIMARY KEY (endpoint_id, since)
) STRICT, WITHOUT ROWID;
CREATE INDEX endpoint_states_by_end ON endpoint_states(until, since);
-- The branch that each stands in, and how it came there: by a rule, or by hand. No branch: it waits to be let in, and why.
CREATE TABLE endpoint_spots(
	endpoint_id INTEGER NOT NULL REFERENCES endpoints(id), since INTEGER NOT NULL, until INTEGER NOT NULL,
	branch_id TEXT, rule_id INTEGER, by TEXT, why TEXT NOT NULL, PRIMARY KEY (endpoint_id, since)
) STRICT, WITHOUT ROWID;
CREATE INDEX endpoint_spots_by_branch ON endpoint_spots(branch_id, until);
-- Every start, kept for thirty days: rules are tried on them before they are saved.
CREATE TABLE endpoint_starts(
	endpoint_id INTEGER NOT NULL REFERENCES endpoints(id), at INTEGER NOT NULL, address TEXT NOT NULL, firmware TEXT NOT NULL,
	site_id TEXT, person_id INTEGER, PRIMARY KEY (endpoint_id, at)
) STRICT, WITHOUT ROWID;
CREATE INDEX endpoint_starts_by_time ON endpoint_starts(at);
CREATE TABLE branches(
	id TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL, name TEXT NOT NULL, parent_id TEXT, site_id TEXT, PRIMARY KEY (id, since)
) STRICT, WITHOUT ROWID;
CREATE TABLE enrolment_rules(
	id INTEGER NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL, position INTEGER NOT NULL, name TEXT NOT NULL,
	condition TEXT NOT NULL, into_id TEXT NOT NULL, by_site INTEGER NOT NULL, whom TEXT NOT NULL, often TEXT NOT NULL, deeper TEXT NOT NULL,
	PRIMARY KEY (id, since)
) STRICT, WITHOUT ROWID;
-- Goes up whenever branches or rules change: what was worked out from them is worked out anew.
CREATE TABLE endpoint_revision(one INTEGER PRIMARY KEY CHECK (one = 1), number INTEGER NOT NULL) STRICT;
INSERT INTO endpoint_revision VALUES (1, 1);
CREATE TRIGGER branches_came AFTER INSERT ON branches BEGIN UPDATE endpoint_revision SET number = number + 1; END;
CREATE TRIGGER branches_changed AFTER UPDATE ON branches BEGIN UPDATE endpoint_revision SET number = number + 1; END;
CREATE TRIGGER branches_went AFTER DELETE ON branches BEGIN UPDATE endpoint_revision SET number = number + 1; END;
CREATE TRIGGER rules_came AFTER INSERT ON enrolment_rules BEGIN UPDATE endpoint_revision SET number = number + 1; END;
CREATE TRIGGER rules_changed AFTER UPDATE ON enrolment_rules BEGIN UPDATE endpoint_revision SET number = number + 1; END;
CREATE TRIGGER rules_went AFTER DELETE ON enrolment_rules BEGIN UPDATE endpoint_revision SET number = number + 1; END;
