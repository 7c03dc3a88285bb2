-- Reports as they are kept, and those that were made: lines and columns as JSON in `made`, of so many characters. `why` is said where one tells what single people
-- reached, `part` is the part of the estate of whoever made it (empty: the whole): nobody else who is there for a part sees it.
CREATE TABLE reports(
	id TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL DEFAULT 9007199254740991, name TEXT NOT NULL, question TEXT NOT NULL, source TEXT NOT NULL,
	scope TEXT NOT NULL, days INTEGER NOT NULL, spec TEXT NOT NULL, by TEXT NOT NULL, PRIMARY KEY (id, since)
) STRICT, WITHOUT ROWID;
CREATE TABLE report_runs(
	id INTEGER PRIMARY KEY, report_id TEXT NOT NULL, name TEXT NOT NULL, question TEXT NOT NULL, source TEXT NOT NULL, scope TEXT NOT NULL, days INTEGER,
	zone TEXT NOT NULL, at INTEGER NOT NULL, by TEXT NOT NULL, why TEXT, part TEXT NOT NULL, lines INTEGER NOT NULL, rows INTEGER NOT NULL, made TEXT NOT NULL,
	size INTEGER NOT NULL
) STRICT;
CREATE INDEX report_runs_of_report ON report_runs(report_id, at);
CREATE INDEX report_runs_at ON report_runs(at);
