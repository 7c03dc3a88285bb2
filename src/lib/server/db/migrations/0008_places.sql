-- Places: how their compute providers are reached, what is checked there, and places that are being joined up.
ALTER TABLE sites ADD COLUMN joined_at INTEGER NOT NULL DEFAULT 0;
-- Secrets are sealed with a key that is kept outside this file.
CREATE TABLE site_providers(
	site_id TEXT NOT NULL REFERENCES sites(id), since INTEGER NOT NULL, until INTEGER NOT NULL,
	address TEXT NOT NULL, account TEXT NOT NULL, secret TEXT NOT NULL,
	confirmed TEXT, confirmed_by TEXT, folder TEXT NOT NULL, join_account TEXT NOT NULL, join_secret TEXT NOT NULL, planned INTEGER NOT NULL,
	PRIMARY KEY (site_id, since)
) STRICT, WITHOUT ROWID;
-- A check as it stood for a while; what it saw last.
CREATE TABLE site_checks(
	site_id TEXT NOT NULL REFERENCES sites(id), name TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL, ok INTEGER, saw TEXT NOT NULL, remedy TEXT NOT NULL,
	PRIMARY KEY (site_id, name, since)
) STRICT, WITHOUT ROWID;
CREATE INDEX site_checks_by_end ON site_checks(until);
-- Answers given so far; `site_id` where a place that is joined already is given new ones.
CREATE TABLE joinings(
	id INTEGER PRIMARY KEY, by TEXT NOT NULL, site_id TEXT REFERENCES sites(id), since INTEGER NOT NULL, until INTEGER NOT NULL, outcome TEXT, answers TEXT NOT NULL
) STRICT;
