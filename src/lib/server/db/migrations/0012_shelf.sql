-- Publications of apps, how they are shown and to whom; grants that are required or optional; what people fetch and ask for.
-- `app`: what it opens, as JSON; NULL for a desktop. `look`: window, monitors and group. `visible`: teams that see it; [] for all.
ALTER TABLE publications ADD COLUMN app TEXT;
ALTER TABLE publications ADD COLUMN description TEXT NOT NULL DEFAULT '';
ALTER TABLE publications ADD COLUMN look TEXT NOT NULL DEFAULT '{}';
ALTER TABLE publications ADD COLUMN visible TEXT NOT NULL DEFAULT '[]';
ALTER TABLE publications ADD COLUMN off INTEGER NOT NULL DEFAULT 0;
-- Login of whoever answers requests for it, or NULL: nobody can ask.
ALTER TABLE publications ADD COLUMN owner TEXT;
-- How many people may hold it, and what happens beyond: 'warn' or 'block'.
ALTER TABLE publications ADD COLUMN licences INTEGER;
ALTER TABLE publications ADD COLUMN beyond TEXT NOT NULL DEFAULT 'warn';
ALTER TABLE grants ADD COLUMN kind TEXT NOT NULL DEFAULT 'required';
-- Personal machines that each person may have by it.
ALTER TABLE grants ADD COLUMN machines INTEGER NOT NULL DEFAULT 1;
CREATE TABLE icons(digest TEXT PRIMARY KEY, type TEXT NOT NULL, bytes BLOB NOT NULL) STRICT, WITHOUT ROWID;
-- Optional publications that people have put on their shelf.
CREATE TABLE fetched(
	person_id INTEGER NOT NULL REFERENCES people(id), publication_id TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL,
	PRIMARY KEY (person_id, publication_id, since)
) STRICT, WITHOUT ROWID;
CREATE INDEX fetched_by_publication ON fetched(publication_id, until);
CREATE TABLE requests(
	id INTEGER PRIMARY KEY, person_id INTEGER NOT NULL REFERENCES people(id), publication_id TEXT NOT NULL, at INTEGER NOT NULL, why TEXT NOT NULL,
	answer TEXT, answered_at INTEGER, answered_by TEXT, words TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX requests_open ON requests(answer, publication_id);
