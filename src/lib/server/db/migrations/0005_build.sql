-- Build: what lines are for, what versions came from, who follows what, and what was done by hand.
ALTER TABLE lines ADD COLUMN generation INTEGER NOT NULL DEFAULT 2;
ALTER TABLE step_runs ADD COLUMN disk INTEGER NOT NULL DEFAULT 96000000000;
-- The sheet that the version was made by, JSON; null for what was there before.
ALTER TABLE versions ADD COLUMN sheet TEXT;
-- The version that it came from, by hand or with updates.
ALTER TABLE versions ADD COLUMN based_on TEXT;
ALTER TABLE versions ADD COLUMN gone_at INTEGER NOT NULL DEFAULT 9007199254740991;
CREATE TABLE version_retired(
	line_id TEXT NOT NULL, number TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL, PRIMARY KEY (line_id, number, since)
) STRICT, WITHOUT ROWID;

-- Which versions a pool takes, and machines that differ from their pool. `subject`: pool/ID or machine/NAME.
CREATE TABLE follow_rules(
	subject TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL, rule TEXT NOT NULL, takes_at TEXT NOT NULL, rollout_id INTEGER,
	PRIMARY KEY (subject, since)
) STRICT, WITHOUT ROWID;
-- Every time that a machine went, or failed to go, from one version to another.
CREATE TABLE moves(
	id INTEGER PRIMARY KEY, machine_id INTEGER NOT NULL REFERENCES machines(id), line_id TEXT NOT NULL, from_version TEXT NOT NULL, to_version TEXT NOT NULL,
	began INTEGER NOT NULL, ended INTEGER, error TEXT, facts TEXT NOT NULL, forgiven INTEGER NOT NULL DEFAULT 0
) STRICT;
CREATE INDEX moves_by_machine ON moves(machine_id, began);
CREATE INDEX moves_by_version ON moves(line_id, to_version, began);

-- Reference machines: one open version of a line at a time.
CREATE TABLE openings(
	id INTEGER PRIMARY KEY, line_id TEXT NOT NULL REFERENCES lines(id), number TEXT NOT NULL, machine TEXT NOT NULL, by TEXT NOT NULL, operator_id INTEGER,
	since INTEGER NOT NULL, until INTEGER NOT NULL, outcome TEXT
) STRICT;
CREATE UNIQUE INDEX openings_now ON openings(line_id) WHERE until = 9007199254740991;
CREATE TABLE opening_lines(opening_id INTEGER NOT NULL REFERENCES openings(id), n INTEGER NOT NULL, at INTEGER NOT NULL, by TEXT NOT NULL, typed TEXT NOT NULL, printed TEXT NOT NULL, PRIMARY KEY (opening_id, n)) STRICT, WITHOUT ROWID;

-- Plans that come back by themselves: an RFC 5545 rule, its first time in the wall clock of a zone.
CREATE TABLE schedules(
	id INTEGER PRIMARY KEY, title TEXT NOT NULL, kind TEXT NOT NULL, input TEXT NOT NULL, rule TEXT NOT NULL, zone TEXT NOT NULL, begins TEXT NOT NULL,
	by TEXT NOT NULL, operator_id INTEGER, since INTEGER NOT NULL, until INTEGER NOT NULL, done_to INTEGER NOT NULL
) STRICT;
CREATE TABLE schedule_runs(schedule_id INTEGER NOT NULL REFERENCES schedules(id), due INTEGER NOT NULL, job_id INTEGER, refused TEXT, PRIMARY KEY (schedule_id, due)) STRICT, WITHOUT ROWID;

-- Trials: what the checks saw on a machine made from a version for nothing else.
CREATE TABLE trials(line_id TEXT NOT NULL, number TEXT NOT NULL, at INTEGER NOT NULL, passed INTEGER NOT NULL, boot INTEGER NOT NULL, checks TEXT NOT NULL, job_id INTEGER NOT NULL, PRIMARY KEY (line_id, number, at)) STRICT, WITHOUT ROWID;

-- Content chunks, once each, and the versions that are made of them: ids as little-endian 32-bit numbers, ascending.
CREATE TABLE chunks(id INTEGER PRIMARY KEY, digest TEXT NOT NULL UNIQUE, size INTEGER NOT NULL, packed INTEGER NOT NULL) STRICT;
CREATE TABLE version_chunks(line_id TEXT NOT NULL, number TEXT NOT NULL, ids BLOB NOT NULL, PRIMARY KEY (line_id, number)) STRICT, WITHOUT ROWID;
-- Sites whose image store has a version whole.
CREATE TABLE site_versions(
	site_id TEXT NOT NULL REFERENCES sites(id), line_id TEXT NOT NULL, number TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL,
	PRIMARY KEY (site_id, line_id, number, since)
) STRICT, WITHOUT ROWID;
CREATE INDEX moves_open ON moves(ended);
-- Who is on which machine at a moment is read from the index alone.
DROP INDEX sessions_by_end;
CREATE INDEX sessions_by_end ON sessions(until, since, machine_id);
