-- The estate as declared and as observed. Times: ms UTC. Sizes: bytes. Money: integer cents.
-- Half-open intervals: since counts in, until does not; 9007199254740991 stands for "goes on".

CREATE TABLE settings(key TEXT PRIMARY KEY, value TEXT NOT NULL) STRICT;

CREATE TABLE sites(
	id TEXT PRIMARY KEY, name TEXT NOT NULL UNIQUE, kind TEXT NOT NULL, time_zone TEXT NOT NULL,
	position INTEGER NOT NULL, links TEXT NOT NULL
) STRICT;
CREATE TABLE networks(
	id TEXT PRIMARY KEY, site_id TEXT NOT NULL REFERENCES sites(id), range TEXT NOT NULL, first INTEGER NOT NULL, last INTEGER NOT NULL
) STRICT;
CREATE TABLE hosts(
	id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, site_id TEXT NOT NULL REFERENCES sites(id), cores INTEGER NOT NULL,
	memory INTEGER NOT NULL, gpus INTEGER NOT NULL, price_hour INTEGER NOT NULL
) STRICT;
CREATE TABLE volumes(id TEXT PRIMARY KEY, site_id TEXT NOT NULL REFERENCES sites(id), size INTEGER NOT NULL, iops INTEGER NOT NULL) STRICT;
CREATE TABLE gateways(id TEXT PRIMARY KEY, site_id TEXT NOT NULL REFERENCES sites(id), address TEXT NOT NULL) STRICT;
CREATE TABLE gateway_ports(
	gateway_id TEXT NOT NULL REFERENCES gateways(id), protocol TEXT NOT NULL, announced INTEGER NOT NULL, listens INTEGER NOT NULL,
	since INTEGER NOT NULL, until INTEGER NOT NULL, PRIMARY KEY (gateway_id, protocol, since)
) STRICT, WITHOUT ROWID;
CREATE TABLE folders(name TEXT PRIMARY KEY) STRICT;

CREATE TABLE teams(id TEXT PRIMARY KEY, name TEXT NOT NULL UNIQUE, parent_id TEXT REFERENCES teams(id)) STRICT;
-- Every team with itself and all teams above it.
CREATE TABLE team_nesting(team_id TEXT NOT NULL, above_id TEXT NOT NULL, PRIMARY KEY (above_id, team_id)) STRICT, WITHOUT ROWID;
CREATE TABLE people(
	id INTEGER PRIMARY KEY, login TEXT NOT NULL UNIQUE, name TEXT NOT NULL, site_id TEXT NOT NULL REFERENCES sites(id),
	team_id TEXT NOT NULL REFERENCES teams(id), pattern TEXT NOT NULL, profile INTEGER NOT NULL, managed INTEGER NOT NULL,
	address TEXT NOT NULL
) STRICT;
CREATE INDEX people_by_name ON people(name);
CREATE INDEX people_by_team ON people(team_id);

CREATE TABLE lines(id TEXT PRIMARY KEY, name TEXT NOT NULL UNIQUE, system TEXT NOT NULL, users TEXT NOT NULL, position INTEGER NOT NULL) STRICT;
CREATE TABLE sheets(line_id TEXT NOT NULL REFERENCES lines(id), since INTEGER NOT NULL, until INTEGER NOT NULL, body TEXT NOT NULL, PRIMARY KEY (line_id, since)) STRICT, WITHOUT ROWID;
CREATE TABLE versions(
	line_id TEXT NOT NULL REFERENCES lines(id), number TEXT NOT NULL, built_at INTEGER NOT NULL, built_by TEXT NOT NULL,
	note TEXT NOT NULL, contents TEXT NOT NULL, size INTEGER NOT NULL, job_id INTEGER, PRIMARY KEY (line_id, number)
) STRICT, WITHOUT ROWID;
CREATE TABLE version_holds(
	line_id TEXT NOT NULL, number TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL,
	PRIMARY KEY (line_id, number, since)
) STRICT, WITHOUT ROWID;
CREATE TABLE step_runs(
	line_id TEXT NOT NULL, kind TEXT NOT NULL, words TEXT NOT NULL, at INTEGER NOT NULL, cores INTEGER NOT NULL, took INTEGER NOT NULL
) STRICT;
CREATE INDEX step_runs_by_step ON step_runs(line_id, kind, words);

CREATE TABLE pools(
	id TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL, name TEXT NOT NULL, site_id TEXT NOT NULL REFERENCES sites(id),
	line_id TEXT NOT NULL REFERENCES lines(id), version TEXT NOT NULL, assignment TEXT NOT NULL, per_machine INTEGER NOT NULL,
	cores INTEGER NOT NULL, memory INTEGER NOT NULL, gpus INTEGER NOT NULL, disk INTEGER NOT NULL, naming TEXT NOT NULL,
	folder TEXT NOT NULL, network_id TEXT NOT NULL REFERENCES networks(id), policy TEXT NOT NULL, price_hour INTEGER NOT NULL,
	position INTEGER NOT NULL, PRIMARY KEY (id, since)
) STRICT, WITHOUT ROWID;
CREATE UNIQUE INDEX pools_name_now ON pools(name) WHERE until = 9007199254740991;
CREATE TABLE hours(id TEXT PRIMARY KEY, days TEXT NOT NULL, from_minute INTEGER NOT NULL, until_minute INTEGER NOT NULL) STRICT;

CREATE TABLE machines(
	id INTEGER PRIMARY KEY, name TEXT NOT NULL, pool_id TEXT NOT NULL, site_id TEXT NOT NULL REFERENCES sites(id),
	since INTEGER NOT NULL, until INTEGER NOT NULL
) STRICT;
CREATE UNIQUE INDEX machines_name_now ON machines(name) WHERE until = 9007199254740991;
CREATE INDEX machines_by_pool ON machines(pool_id, name);
CREATE INDEX machines_by_name ON machines(name);
CREATE TABLE machine_places(
	machine_id INTEGER NOT NULL REFERENCES machines(id), since INTEGER NOT NULL, until INTEGER NOT NULL, host_id INTEGER NOT NULL REFERENCES hosts(id),
	volume_id TEXT NOT NULL, line_id TEXT NOT NULL, version TEXT NOT NULL, address TEXT NOT NULL, owner_id INTEGER REFERENCES people(id),
	PRIMARY KEY (machine_id, since)
) STRICT, WITHOUT ROWID;
CREATE TABLE machine_states(
	machine_id INTEGER NOT NULL REFERENCES machines(id), since INTEGER NOT NULL, until INTEGER NOT NULL, state TEXT NOT NULL, cause TEXT NOT NULL,
	PRIMARY KEY (machine_id, since)
) STRICT, WITHOUT ROWID;
CREATE INDEX machine_states_ended ON machine_states(until, since);
-- Why the policy started or stopped a machine.
CREATE TABLE power_actions(machine_id INTEGER NOT NULL REFERENCES machines(id), at INTEGER NOT NULL, action TEXT NOT NULL, facts TEXT NOT NULL, PRIMARY KEY (machine_id, at)) STRICT, WITHOUT ROWID;
CREATE INDEX power_actions_by_time ON power_actions(at);

CREATE TABLE sessions(
	id INTEGER PRIMARY KEY, person_id INTEGER NOT NULL REFERENCES people(id), machine_id INTEGER NOT NULL REFERENCES machines(id),
	publication_id TEXT NOT NULL, gateway_id TEXT NOT NULL, protocol TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL,
	sign_in INTEGER NOT NULL, ended_by TEXT, connection_id INTEGER NOT NULL
) STRICT;
CREATE INDEX sessions_by_end ON sessions(until, since);
CREATE INDEX sessions_by_start ON sessions(since);
CREATE INDEX sessions_by_machine ON sessions(machine_id, since);
CREATE INDEX sessions_by_person ON sessions(person_id, since);
CREATE TABLE session_states(
	session_id INTEGER NOT NULL REFERENCES sessions(id), since INTEGER NOT NULL, until INTEGER NOT NULL, state TEXT NOT NULL, cause TEXT NOT NULL,
	PRIMARY KEY (session_id, since)
) STRICT, WITHOUT ROWID;
CREATE TABLE connections(
	id INTEGER PRIMARY KEY, person_id INTEGER NOT NULL REFERENCES people(id), publication_id TEXT NOT NULL, gateway_id TEXT NOT NULL,
	protocol TEXT NOT NULL, address TEXT NOT NULL, began INTEGER NOT NULL, ended INTEGER NOT NULL, result TEXT NOT NULL,
	machine_id INTEGER REFERENCES machines(id), session_id INTEGER, pool_id TEXT, waited INTEGER NOT NULL, took INTEGER NOT NULL,
	phases TEXT NOT NULL, cause TEXT NOT NULL
) STRICT;
CREATE INDEX connections_by_time ON connections(ended);
CREATE INDEX connections_by_person ON connections(person_id, ended);
CREATE TABLE waits(person_id INTEGER NOT NULL REFERENCES people(id), publication_id TEXT NOT NULL, pools TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL, PRIMARY KEY (person_id, publication_id, since)) STRICT, WITHOUT ROWID;
CREATE INDEX waits_by_end ON waits(until);

CREATE TABLE publications(
	id TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL, name TEXT NOT NULL, internal_name TEXT NOT NULL, icon TEXT NOT NULL,
	pools TEXT NOT NULL, protocol TEXT NOT NULL, position INTEGER NOT NULL, PRIMARY KEY (id, since)
) STRICT, WITHOUT ROWID;
CREATE UNIQUE INDEX publications_name_now ON publications(name) WHERE until = 9007199254740991;
CREATE TABLE grants(
	id INTEGER NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL, publication_id TEXT NOT NULL, team_id TEXT REFERENCES teams(id),
	person_id INTEGER REFERENCES people(id), conditions TEXT NOT NULL, channels TEXT NOT NULL,
	CHECK ((team_id IS NULL) <> (person_id IS NULL)), PRIMARY KEY (id, since)
) STRICT, WITHOUT ROWID;

-- Samples, newest last: cores, memory and GPU in thousandths, latencies in microseconds, GPU -1 where there is none.
CREATE TABLE samples_1m(
	at INTEGER NOT NULL, machine_id INTEGER NOT NULL, cores INTEGER NOT NULL, memory INTEGER NOT NULL, disk INTEGER NOT NULL, gpu INTEGER NOT NULL,
	input INTEGER NOT NULL, trip INTEGER NOT NULL, sessions INTEGER NOT NULL, strain INTEGER NOT NULL, PRIMARY KEY (at, machine_id)
) STRICT, WITHOUT ROWID;
CREATE TABLE samples_15m(
	at INTEGER NOT NULL, machine_id INTEGER NOT NULL, cores INTEGER NOT NULL, memory INTEGER NOT NULL, disk INTEGER NOT NULL, gpu INTEGER NOT NULL,
	input INTEGER NOT NULL, trip INTEGER NOT NULL, sessions INTEGER NOT NULL, strain INTEGER NOT NULL, PRIMARY KEY (at, machine_id)
) STRICT, WITHOUT ROWID;
CREATE TABLE samples_6h(
	at INTEGER NOT NULL, machine_id INTEGER NOT NULL, cores INTEGER NOT NULL, memory INTEGER NOT NULL, disk INTEGER NOT NULL, gpu INTEGER NOT NULL,
	input INTEGER NOT NULL, trip INTEGER NOT NULL, sessions INTEGER NOT NULL, strain INTEGER NOT NULL, PRIMARY KEY (at, machine_id)
) STRICT, WITHOUT ROWID;
CREATE TABLE host_samples_1m(at INTEGER NOT NULL, host_id INTEGER NOT NULL, cores INTEGER NOT NULL, memory INTEGER NOT NULL, gpu INTEGER NOT NULL, PRIMARY KEY (at, host_id)) STRICT, WITHOUT ROWID;
CREATE TABLE host_samples_15m(at INTEGER NOT NULL, host_id INTEGER NOT NULL, cores INTEGER NOT NULL, memory INTEGER NOT NULL, gpu INTEGER NOT NULL, PRIMARY KEY (at, host_id)) STRICT, WITHOUT ROWID;

-- Only what fails is kept; a check without an open row passed when it last ran.
CREATE TABLE failing_checks(
	machine_id INTEGER NOT NULL REFERENCES machines(id), name TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL, saw TEXT NOT NULL,
	PRIMARY KEY (machine_id, name, since)
) STRICT, WITHOUT ROWID;
CREATE INDEX failing_checks_by_end ON failing_checks(until);
CREATE TABLE findings(
	id INTEGER PRIMARY KEY, kind TEXT NOT NULL, subject_kind TEXT NOT NULL, subject_id TEXT NOT NULL, site_id TEXT, since INTEGER NOT NULL,
	until INTEGER NOT NULL, title TEXT NOT NULL, people INTEGER NOT NULL, facts TEXT NOT NULL, remedy TEXT
) STRICT;
CREATE INDEX findings_by_end ON findings(until);
CREATE UNIQUE INDEX findings_open ON findings(kind, subject_id) WHERE until = 9007199254740991;
