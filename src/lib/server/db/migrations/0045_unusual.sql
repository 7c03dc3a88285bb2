-- What somebody does as a rule: on how many days (or, of `hours`, `amount` and `refusals`, in how many hours) something was so, and when last: the
-- local day, counted from 1970, or the hour. `day` and `hours` count all of them.
CREATE TABLE activity_habits(
	person_id INTEGER NOT NULL, what TEXT NOT NULL, value TEXT NOT NULL, times INTEGER NOT NULL, last INTEGER NOT NULL, PRIMARY KEY (person_id, what, value)
) STRICT, WITHOUT ROWID;
-- Hours in which somebody did what is unlike them, with how far in what, as JSON; and whether something was wrong, as people say.
CREATE TABLE unusual_activity(
	id INTEGER PRIMARY KEY, person_id INTEGER NOT NULL REFERENCES people(id), hour INTEGER NOT NULL, bits REAL NOT NULL, aspects TEXT NOT NULL, found_at INTEGER NOT NULL,
	answer TEXT CHECK (answer IN ('yes', 'no')), answered_by TEXT, answered_at INTEGER, words TEXT
) STRICT;
CREATE INDEX unusual_activity_at ON unusual_activity(found_at);
CREATE INDEX unusual_activity_of_person ON unusual_activity(person_id, hour);
