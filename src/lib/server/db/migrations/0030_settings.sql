-- Settings that an estate adds to those that every estate has, in their order.
CREATE TABLE own_settings(position INTEGER PRIMARY KEY, spec TEXT NOT NULL) STRICT;
-- Values of settings that belong together, and what they are for. `said`: values by the setting's id; `assigned` and `excluded`: reaches as
-- they are written, such as branch/ships.
CREATE TABLE settings_groups(
	id TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL, name TEXT NOT NULL, note TEXT NOT NULL, rank INTEGER NOT NULL,
	said TEXT NOT NULL, assigned TEXT NOT NULL, excluded TEXT NOT NULL, by TEXT NOT NULL, PRIMARY KEY (id, since)
) STRICT, WITHOUT ROWID;
