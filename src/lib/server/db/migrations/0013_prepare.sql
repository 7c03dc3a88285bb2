-- Trials of package versions as an ordinary person, and what is read ahead when a version is attached.
CREATE TABLE package_trials(
	id INTEGER PRIMARY KEY, name TEXT NOT NULL, number TEXT NOT NULL, at INTEGER NOT NULL, by TEXT NOT NULL, job_id INTEGER, person TEXT NOT NULL,
	line_id TEXT NOT NULL, image TEXT NOT NULL, passed INTEGER NOT NULL, results TEXT NOT NULL
) STRICT;
CREATE INDEX package_trials_by_version ON package_trials(name, number, at);
CREATE TABLE warm_ups(
	name TEXT NOT NULL, number TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL, files TEXT NOT NULL, by TEXT NOT NULL,
	PRIMARY KEY (name, number, since)
) STRICT, WITHOUT ROWID;
