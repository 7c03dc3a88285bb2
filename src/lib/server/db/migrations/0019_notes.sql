-- What operators write on anything that has a card, for whoever comes next; each wording as an interval.
CREATE TABLE notes(
	id INTEGER NOT NULL, kind TEXT NOT NULL, of TEXT NOT NULL, text TEXT NOT NULL, by TEXT NOT NULL,
	since INTEGER NOT NULL, until INTEGER NOT NULL, PRIMARY KEY (id, since)
) STRICT, WITHOUT ROWID;
CREATE INDEX notes_by_thing ON notes(kind, of, until);
CREATE INDEX notes_by_time ON notes(until, since);
