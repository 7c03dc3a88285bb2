-- Certificates that Sextant's authority has issued to devices: which a device holds, from when until when. `ends`: what stands in it;
-- `authority`: the fingerprint of the authority's own, since another key file makes another.
CREATE TABLE endpoint_certificates(
	endpoint_id INTEGER NOT NULL REFERENCES endpoints(id), since INTEGER NOT NULL, until INTEGER NOT NULL,
	number TEXT NOT NULL UNIQUE, ends INTEGER NOT NULL, pem TEXT NOT NULL, authority TEXT NOT NULL, PRIMARY KEY (endpoint_id, since)
) STRICT, WITHOUT ROWID;
-- Those that are not to be trusted, though they have not ended: by number, when and by whom.
CREATE TABLE revoked_certificates(number TEXT PRIMARY KEY, at INTEGER NOT NULL, by TEXT NOT NULL) STRICT, WITHOUT ROWID;
-- Lists of devices go by their names, and count what is in force.
CREATE INDEX endpoint_facts_by_name ON endpoint_facts(name, until, since);
