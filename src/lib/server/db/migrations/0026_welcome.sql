-- Links by which newcomers come in for the first time: one each, until it ends or is used. `sealed`: what is sent, until it has been.
CREATE TABLE invitations(
	id INTEGER PRIMARY KEY, person_id INTEGER NOT NULL REFERENCES people(id), hash TEXT NOT NULL UNIQUE, sealed TEXT,
	made_at INTEGER NOT NULL, ends_at INTEGER NOT NULL, used_at INTEGER, by TEXT NOT NULL
) STRICT;
CREATE INDEX invitations_by_person ON invitations(person_id, made_at);
-- A personal pool that is kept for a team: each of its people has a machine of it who holds what it asks for (JSON); made so long before
-- their first day, ms.
CREATE TABLE kept_pools(
	pool_id TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL, team_id TEXT NOT NULL REFERENCES teams(id),
	asks TEXT NOT NULL, ahead INTEGER NOT NULL, by TEXT NOT NULL, PRIMARY KEY (pool_id, since)
) STRICT, WITHOUT ROWID;
-- When a machine of a kept pool was last made for somebody, or taken back from them: by which job, or why it was refused.
CREATE TABLE desk_tries(
	pool_id TEXT NOT NULL, person_id INTEGER NOT NULL REFERENCES people(id), at INTEGER NOT NULL, job_id INTEGER, words TEXT NOT NULL,
	PRIMARY KEY (pool_id, person_id)
) STRICT, WITHOUT ROWID;
