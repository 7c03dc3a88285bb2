-- Packages delivered to pools, and what became of it on machines and in sessions.
CREATE TABLE deliveries(
	pool_id TEXT NOT NULL, package TEXT NOT NULL REFERENCES packages(name), since INTEGER NOT NULL, until INTEGER NOT NULL, version TEXT NOT NULL,
	mode TEXT NOT NULL, by TEXT NOT NULL, job_id INTEGER, PRIMARY KEY (pool_id, package, since)
) STRICT, WITHOUT ROWID;
CREATE TABLE attachments(
	machine_id INTEGER NOT NULL REFERENCES machines(id), package TEXT NOT NULL, version TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL,
	state TEXT NOT NULL, why TEXT NOT NULL, PRIMARY KEY (machine_id, package, version, since)
) STRICT, WITHOUT ROWID;
CREATE INDEX attachments_by_end ON attachments(until, package);
-- A version that cannot be attached, from the first try on, until it is or nobody wants it any more.
CREATE TABLE attach_failures(
	machine_id INTEGER NOT NULL REFERENCES machines(id), package TEXT NOT NULL, version TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL,
	cause TEXT NOT NULL, why TEXT NOT NULL, tries INTEGER NOT NULL, PRIMARY KEY (machine_id, package, version, since)
) STRICT, WITHOUT ROWID;
CREATE INDEX attach_failures_by_end ON attach_failures(until);
-- Apps that were open in sessions: how they were started, and ms from the wish to the window.
CREATE TABLE app_runs(
	id INTEGER PRIMARY KEY, session_id INTEGER NOT NULL, person_id INTEGER NOT NULL, machine_id INTEGER NOT NULL, package TEXT NOT NULL, version TEXT NOT NULL,
	target TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL, start TEXT NOT NULL, took INTEGER NOT NULL
) STRICT;
CREATE INDEX app_runs_by_end ON app_runs(until, since);
CREATE INDEX app_runs_by_session ON app_runs(session_id);
CREATE INDEX app_runs_by_package ON app_runs(package, since);
-- Apps that could not be started, and what the person was told.
CREATE TABLE app_refusals(session_id INTEGER NOT NULL, person_id INTEGER NOT NULL, at INTEGER NOT NULL, package TEXT NOT NULL, target TEXT NOT NULL, cause TEXT, words TEXT NOT NULL) STRICT;
CREATE INDEX app_refusals_by_time ON app_refusals(at);
