-- Plans, jobs, the change log, and who may do what.

CREATE TABLE operators(
	id INTEGER PRIMARY KEY, login TEXT NOT NULL UNIQUE, name TEXT NOT NULL, role TEXT NOT NULL, password TEXT NOT NULL,
	factor_secret TEXT, factor_on INTEGER NOT NULL DEFAULT 0, factor_last INTEGER NOT NULL DEFAULT 0, disabled INTEGER NOT NULL DEFAULT 0, theme TEXT NOT NULL DEFAULT 'day'
) STRICT;
-- Wall-clock times here: a lab's clock may run faster than sign-ins should end.
CREATE TABLE sign_ins(
	token TEXT PRIMARY KEY, operator_id INTEGER REFERENCES operators(id), person_id INTEGER REFERENCES people(id), factor INTEGER NOT NULL,
	began INTEGER NOT NULL, seen INTEGER NOT NULL
) STRICT;
CREATE TABLE sign_in_attempts(who TEXT NOT NULL, at INTEGER NOT NULL) STRICT;
CREATE INDEX sign_in_attempts_by_who ON sign_in_attempts(who, at);
CREATE TABLE tokens(id INTEGER PRIMARY KEY, name TEXT NOT NULL, role TEXT NOT NULL, hash TEXT NOT NULL UNIQUE, made_at INTEGER NOT NULL, made_by TEXT NOT NULL, revoked_at INTEGER) STRICT;
CREATE UNIQUE INDEX tokens_name_now ON tokens(name) WHERE revoked_at IS NULL;

CREATE TABLE plans(
	id INTEGER PRIMARY KEY, kind TEXT NOT NULL, input TEXT NOT NULL, title TEXT NOT NULL, effects TEXT NOT NULL, warnings TEXT NOT NULL,
	blocks TEXT NOT NULL, reasons TEXT NOT NULL, touches TEXT NOT NULL, steps TEXT NOT NULL, undo TEXT, undo_words TEXT NOT NULL,
	state TEXT NOT NULL, refused TEXT, by TEXT NOT NULL, via TEXT NOT NULL, at INTEGER NOT NULL, job_id INTEGER
) STRICT;
CREATE INDEX plans_by_state ON plans(state, at);
-- Counts up whenever a committed plan touches the object: what was computed before is then out of date.
CREATE TABLE revisions(object TEXT PRIMARY KEY, number INTEGER NOT NULL, plan_id INTEGER NOT NULL) STRICT;

CREATE TABLE jobs(
	id INTEGER PRIMARY KEY, plan_id INTEGER NOT NULL REFERENCES plans(id), kind TEXT NOT NULL, title TEXT NOT NULL, state TEXT NOT NULL,
	by TEXT NOT NULL, operator_id INTEGER, made_at INTEGER NOT NULL, not_before INTEGER NOT NULL, began INTEGER, ended INTEGER,
	expected INTEGER NOT NULL, cancel INTEGER NOT NULL DEFAULT 0, result TEXT, error TEXT
) STRICT;
CREATE INDEX jobs_by_state ON jobs(state, not_before);
CREATE INDEX jobs_by_time ON jobs(made_at);
CREATE TABLE job_steps(
	job_id INTEGER NOT NULL REFERENCES jobs(id), n INTEGER NOT NULL, kind TEXT NOT NULL, words TEXT NOT NULL, input TEXT NOT NULL,
	expected INTEGER NOT NULL, state TEXT NOT NULL, began INTEGER, ended INTEGER, attempt INTEGER NOT NULL DEFAULT 0, error TEXT, PRIMARY KEY (job_id, n)
) STRICT, WITHOUT ROWID;
-- The things that one step does one by one (a machine each): each done once.
CREATE TABLE job_items(
	job_id INTEGER NOT NULL, n INTEGER NOT NULL, item TEXT NOT NULL, state TEXT NOT NULL, error TEXT, PRIMARY KEY (job_id, n, item)
) STRICT, WITHOUT ROWID;
CREATE TABLE job_log(id INTEGER PRIMARY KEY, job_id INTEGER NOT NULL, n INTEGER NOT NULL, at INTEGER NOT NULL, line TEXT NOT NULL) STRICT;
CREATE INDEX job_log_by_job ON job_log(job_id, id);

CREATE TABLE changes(
	number INTEGER PRIMARY KEY, at INTEGER NOT NULL, by TEXT NOT NULL, via TEXT NOT NULL, kind TEXT NOT NULL, title TEXT NOT NULL,
	objects TEXT NOT NULL, plan_id INTEGER, job_id INTEGER UNIQUE, outcome TEXT NOT NULL, undo TEXT, before TEXT NOT NULL, hash TEXT NOT NULL UNIQUE
) STRICT;
CREATE INDEX changes_by_time ON changes(at);
CREATE TRIGGER changes_stay BEFORE UPDATE ON changes BEGIN SELECT RAISE(ABORT, 'the change log is append-only'); END;
CREATE TRIGGER changes_remain BEFORE DELETE ON changes BEGIN SELECT RAISE(ABORT, 'the change log is append-only'); END;

CREATE TABLE notices(id INTEGER PRIMARY KEY, operator_id INTEGER NOT NULL, job_id INTEGER NOT NULL, at INTEGER NOT NULL, title TEXT NOT NULL, good INTEGER NOT NULL, seen INTEGER NOT NULL DEFAULT 0, UNIQUE (operator_id, job_id)) STRICT;

-- Builds that failed and can be resumed from the step that failed.
CREATE TABLE builds(
	id INTEGER PRIMARY KEY, line_id TEXT NOT NULL REFERENCES lines(id), number TEXT NOT NULL, sheet TEXT NOT NULL, state TEXT NOT NULL,
	done_steps INTEGER NOT NULL, job_id INTEGER NOT NULL UNIQUE, began INTEGER NOT NULL, ended INTEGER, by TEXT NOT NULL, note TEXT NOT NULL
) STRICT;
-- Machines of a pool that could not be made, each with the reason, until a retry succeeds.
CREATE TABLE unmade_machines(
	pool_id TEXT NOT NULL, name TEXT NOT NULL, host TEXT NOT NULL, volume TEXT NOT NULL, reason TEXT NOT NULL, job_id INTEGER NOT NULL, at INTEGER NOT NULL, PRIMARY KEY (pool_id, name)
) STRICT, WITHOUT ROWID;
