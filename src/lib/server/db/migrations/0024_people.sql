-- What is known of people, from when until when. Their name and login in `people` are those that are known now.
CREATE TABLE person_facts(
	person_id INTEGER NOT NULL REFERENCES people(id), since INTEGER NOT NULL, until INTEGER NOT NULL,
	login TEXT NOT NULL, name TEXT NOT NULL, mail TEXT, employment TEXT NOT NULL, manager_id INTEGER REFERENCES people(id),
	site_id TEXT NOT NULL REFERENCES sites(id), language TEXT, pattern TEXT NOT NULL,
	begins INTEGER NOT NULL, ends INTEGER NOT NULL, PRIMARY KEY (person_id, since)
) STRICT, WITHOUT ROWID;
-- From before anything that is on record.
INSERT INTO person_facts(person_id, since, until, login, name, mail, employment, manager_id, site_id, language, pattern, begins, ends)
	SELECT id, 0, 9007199254740991, login, name, NULL, 'employee', NULL, site_id, NULL, pattern, 0, 9007199254740991 FROM people;
ALTER TABLE people DROP COLUMN site_id;
ALTER TABLE people DROP COLUMN pattern;
-- Who says what is known of them: the directory, a program that tells it by SCIM, or Sextant's own list.
ALTER TABLE people ADD COLUMN source TEXT NOT NULL DEFAULT 'directory';
-- What the program that tells of them calls them.
ALTER TABLE people ADD COLUMN external_id TEXT;
-- A program that told of them has taken them out: they are shown to it no longer.
ALTER TABLE people ADD COLUMN deleted INTEGER NOT NULL DEFAULT 0;
-- Accounts for those whom the directory does not tell of are made there as they were at this revision.
ALTER TABLE people ADD COLUMN account TEXT;
ALTER TABLE people ADD COLUMN account_at INTEGER NOT NULL DEFAULT 0;
ALTER TABLE teams ADD COLUMN source TEXT NOT NULL DEFAULT 'directory';
ALTER TABLE teams ADD COLUMN external_id TEXT;
-- A team that is no longer there keeps its row for those who were of it.
ALTER TABLE teams ADD COLUMN gone INTEGER NOT NULL DEFAULT 0;

CREATE TRIGGER facts_came AFTER INSERT ON person_facts BEGIN
	UPDATE directory_revision SET number = number + 1;
	UPDATE people SET login = NEW.login, name = NEW.name WHERE id = NEW.person_id AND NEW.until = 9007199254740991 AND (login <> NEW.login OR name <> NEW.name);
END;
CREATE TRIGGER facts_changed AFTER UPDATE ON person_facts BEGIN UPDATE directory_revision SET number = number + 1; END;
CREATE TRIGGER facts_went AFTER DELETE ON person_facts BEGIN UPDATE directory_revision SET number = number + 1; END;
-- The last change before a moment is one seek.
CREATE INDEX person_facts_by_since ON person_facts(since);
-- How many are there at a moment is counted from it alone.
CREATE INDEX person_facts_by_until ON person_facts(until, since, begins, ends);
CREATE INDEX person_facts_by_begins ON person_facts(begins);
CREATE INDEX person_facts_by_ends ON person_facts(ends);
-- A page of everybody by name is read from it alone.
CREATE INDEX person_facts_by_name ON person_facts(name, person_id, until, begins, ends);
CREATE INDEX person_facts_by_site ON person_facts(site_id, until);

-- Where somebody goes on a day to come: to which site and teams (JSON, the home team first), from when on and until when that was known.
CREATE TABLE coming_moves(
	person_id INTEGER NOT NULL REFERENCES people(id), day INTEGER NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL,
	site_id TEXT NOT NULL REFERENCES sites(id), member_of TEXT NOT NULL, PRIMARY KEY (person_id, day, since)
) STRICT, WITHOUT ROWID;
CREATE INDEX coming_moves_by_day ON coming_moves(day);
CREATE TRIGGER moves_came AFTER INSERT ON coming_moves BEGIN UPDATE directory_revision SET number = number + 1; END;
CREATE TRIGGER moves_changed AFTER UPDATE ON coming_moves BEGIN UPDATE directory_revision SET number = number + 1; END;
CREATE TRIGGER moves_went AFTER DELETE ON coming_moves BEGIN UPDATE directory_revision SET number = number + 1; END;

-- What the directory tells of somebody that cannot be taken in, and why: by what it calls them.
CREATE TABLE left_out(
	login TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL, words TEXT NOT NULL, PRIMARY KEY (login, since)
) STRICT, WITHOUT ROWID;

-- Lists of people that somebody has brought, as they came: plans that take them in name them.
CREATE TABLE brought_files(
	id INTEGER PRIMARY KEY, at INTEGER NOT NULL, by TEXT NOT NULL, name TEXT NOT NULL, content BLOB NOT NULL, sha256 TEXT NOT NULL
) STRICT;
