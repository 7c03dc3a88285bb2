-- Rollouts: a version brought to machines in waves, with a gate after each.
CREATE TABLE rollouts(
	id INTEGER PRIMARY KEY, job_id INTEGER NOT NULL UNIQUE, line_id TEXT NOT NULL, number TEXT NOT NULL, settings TEXT NOT NULL, by TEXT NOT NULL,
	began INTEGER NOT NULL, ended INTEGER, state TEXT NOT NULL, wave INTEGER NOT NULL DEFAULT 0, decision TEXT
) STRICT;
CREATE INDEX rollouts_by_version ON rollouts(line_id, number);
CREATE TABLE rollout_machines(
	rollout_id INTEGER NOT NULL REFERENCES rollouts(id), machine TEXT NOT NULL, wave INTEGER NOT NULL, from_version TEXT NOT NULL, rule_before TEXT,
	state TEXT NOT NULL, at INTEGER, PRIMARY KEY (rollout_id, machine)
) STRICT, WITHOUT ROWID;
CREATE TABLE rollout_gates(
	rollout_id INTEGER NOT NULL REFERENCES rollouts(id), wave INTEGER NOT NULL, at INTEGER NOT NULL, verdict TEXT NOT NULL, facts TEXT NOT NULL, PRIMARY KEY (rollout_id, wave, at)
) STRICT, WITHOUT ROWID;
