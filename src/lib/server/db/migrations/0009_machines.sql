-- Making machines: where their page file lies, what they start from, and those that were taken over as they were.
ALTER TABLE pools ADD COLUMN page_file INTEGER NOT NULL DEFAULT 0;
-- 'overlay': on the machine's own overlay disk; 'apart': on a disk for nothing else.
ALTER TABLE pools ADD COLUMN page_place TEXT NOT NULL DEFAULT 'overlay';
-- Boot servers in the order in which they are tried; none: machines start from their own disks.
ALTER TABLE pools ADD COLUMN boot_servers TEXT NOT NULL DEFAULT '[]';
CREATE TABLE boot_servers(id TEXT PRIMARY KEY, site_id TEXT NOT NULL REFERENCES sites(id), address TEXT NOT NULL) STRICT;
-- Bytes that a machine wrote to its overlay on a local day, as its counter stood at the beginning and at the last look; the most sessions seen on it.
CREATE TABLE day_writes(
	machine_id INTEGER NOT NULL REFERENCES machines(id), day INTEGER NOT NULL, began INTEGER NOT NULL, latest INTEGER NOT NULL, sessions INTEGER NOT NULL, PRIMARY KEY (machine_id, day)
) STRICT, WITHOUT ROWID;
-- Machines that were there before us, by name: what they are, since no image of ours says so.
CREATE TABLE taken_machines(
	name TEXT PRIMARY KEY, kind TEXT NOT NULL, system TEXT NOT NULL, users TEXT NOT NULL, generation INTEGER NOT NULL
) STRICT;
