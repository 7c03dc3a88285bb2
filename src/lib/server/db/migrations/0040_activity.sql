-- Who reached what, or was refused, without a break. The hour leads, since what is written is of the last hours alone; within it
-- stands who it was (0: nobody was known to be there). `decided`, `way` and `asked` are numbers of the core’s lists; `asked` NULL: nothing. `rule_id`: 0 where no rule decided.
CREATE TABLE reached_targets(id INTEGER PRIMARY KEY, kind TEXT NOT NULL CHECK (kind IN ('site', 'service')), name TEXT NOT NULL, UNIQUE (kind, name)) STRICT;
CREATE TABLE reached_rules(id INTEGER PRIMARY KEY, rule TEXT NOT NULL UNIQUE) STRICT;
CREATE TABLE reached_from(id INTEGER PRIMARY KEY, address TEXT NOT NULL UNIQUE) STRICT;
CREATE TABLE activity(
	hour INTEGER NOT NULL, person_id INTEGER NOT NULL, id INTEGER NOT NULL, began INTEGER NOT NULL, ended INTEGER NOT NULL, target_id INTEGER NOT NULL,
	rule_id INTEGER NOT NULL, decided INTEGER NOT NULL, through INTEGER NOT NULL CHECK (through IN (0, 1)), asked INTEGER, way INTEGER NOT NULL,
	endpoint_id INTEGER, machine_id INTEGER, from_id INTEGER NOT NULL, decisions INTEGER NOT NULL, down INTEGER NOT NULL, up INTEGER NOT NULL,
	PRIMARY KEY (hour, person_id, id)
) STRICT, WITHOUT ROWID;
-- Sums of whole hours, and of days: these outlast what they were made of. `refused` counts decisions that let nobody through.
CREATE TABLE activity_person_hours(
	person_id INTEGER NOT NULL, hour INTEGER NOT NULL, decisions INTEGER NOT NULL, refused INTEGER NOT NULL, down INTEGER NOT NULL, up INTEGER NOT NULL,
	PRIMARY KEY (person_id, hour)
) STRICT, WITHOUT ROWID;
CREATE TABLE activity_rule_hours(
	hour INTEGER NOT NULL, rule_id INTEGER NOT NULL, decisions INTEGER NOT NULL, refused INTEGER NOT NULL, down INTEGER NOT NULL, up INTEGER NOT NULL,
	PRIMARY KEY (hour, rule_id)
) STRICT, WITHOUT ROWID;
CREATE TABLE activity_days(
	day INTEGER NOT NULL, rule_id INTEGER NOT NULL, target_id INTEGER NOT NULL, person_id INTEGER NOT NULL, through INTEGER NOT NULL, from_id INTEGER NOT NULL,
	way INTEGER NOT NULL, decisions INTEGER NOT NULL, down INTEGER NOT NULL, up INTEGER NOT NULL,
	PRIMARY KEY (day, rule_id, target_id, person_id, through, from_id, way)
) STRICT, WITHOUT ROWID;
CREATE INDEX activity_days_of_target ON activity_days(target_id, day);
-- Who looked at what somebody did, why, and until when they might.
CREATE TABLE activity_looks(
	id INTEGER PRIMARY KEY, person_id INTEGER NOT NULL REFERENCES people(id), operator_id INTEGER, by TEXT NOT NULL, why TEXT NOT NULL,
	at INTEGER NOT NULL, ends INTEGER NOT NULL
) STRICT;
CREATE INDEX activity_looks_of_person ON activity_looks(person_id, at);
CREATE INDEX activity_looks_at ON activity_looks(at);
