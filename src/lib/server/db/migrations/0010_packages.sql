-- Packages: captures on the way to them, their versions, and which of two that clash wins.
-- Inventories and contents lie in files of the data folder.
CREATE TABLE captures(
	id INTEGER PRIMARY KEY, name TEXT NOT NULL, line_id TEXT, number TEXT, installer TEXT, job_id INTEGER, by TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL,
	state TEXT NOT NULL, system TEXT, summary TEXT, notes TEXT NOT NULL DEFAULT '[]', choices TEXT NOT NULL DEFAULT '[]', outcome TEXT,
	-- The machine that it is taken on, as long as that is there.
	machine TEXT
) STRICT;
CREATE TABLE packages(name TEXT PRIMARY KEY, position INTEGER NOT NULL, made_at INTEGER NOT NULL, made_by TEXT NOT NULL) STRICT;
CREATE TABLE package_versions(
	name TEXT NOT NULL REFERENCES packages(name), number TEXT NOT NULL, manifest TEXT NOT NULL, spec TEXT NOT NULL, size INTEGER NOT NULL, added INTEGER NOT NULL,
	unpacked INTEGER NOT NULL, files INTEGER NOT NULL, settings INTEGER NOT NULL, made_at INTEGER NOT NULL, made_by TEXT NOT NULL, gone_at INTEGER NOT NULL DEFAULT 9007199254740991,
	job_id INTEGER, PRIMARY KEY (name, number)
) STRICT, WITHOUT ROWID;
-- Systems that somebody vouches for, beside the one that a version was captured on.
CREATE TABLE package_vouches(
	name TEXT NOT NULL, number TEXT NOT NULL, system TEXT NOT NULL, by TEXT NOT NULL, at INTEGER NOT NULL, why TEXT NOT NULL, PRIMARY KEY (name, number, system)
) STRICT, WITHOUT ROWID;
-- Clashes of the newest versions of all packages, computed whenever one comes or goes. Of two, the one of the lower position wins.
CREATE TABLE package_clashes(a TEXT NOT NULL, b TEXT NOT NULL, total INTEGER NOT NULL, counts TEXT NOT NULL, clashes TEXT NOT NULL, PRIMARY KEY (a, b)) STRICT, WITHOUT ROWID;
