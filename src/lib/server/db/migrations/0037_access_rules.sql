-- Kinds of web sites, and the names that are of each: a name stands for all beneath it, but for those that are named themselves.
CREATE TABLE site_categories(id TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL, name TEXT NOT NULL, PRIMARY KEY (id, since)) STRICT, WITHOUT ROWID;
CREATE TABLE categorised_sites(
	name TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL, category_id TEXT NOT NULL, PRIMARY KEY (name, since)
) STRICT, WITHOUT ROWID;
-- What people reach inside by host and port. `hosts`: names, addresses and ranges; `ports`: as they are written, such as 5432 or 8000-8010.
CREATE TABLE private_services(
	id TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL, name TEXT NOT NULL, grouped TEXT, hosts TEXT NOT NULL, ports TEXT NOT NULL,
	protocol TEXT NOT NULL CHECK (protocol IN ('tcp', 'udp')), by TEXT NOT NULL, PRIMARY KEY (id, since)
) STRICT, WITHOUT ROWID;
-- Rules of who may reach what, as they are written; their order and what decides where none does stand in one row of `access_rulebook`.
CREATE TABLE access_rules(id TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL, spec TEXT NOT NULL, by TEXT NOT NULL, PRIMARY KEY (id, since)) STRICT, WITHOUT ROWID;
CREATE TABLE access_rulebook(
	id TEXT NOT NULL CHECK (id = 'book'), since INTEGER NOT NULL, until INTEGER NOT NULL, rules TEXT NOT NULL, tests TEXT NOT NULL,
	web TEXT NOT NULL CHECK (web IN ('allow', 'refuse')), services TEXT NOT NULL CHECK (services IN ('allow', 'refuse')), by TEXT NOT NULL,
	PRIMARY KEY (id, since)
) STRICT, WITHOUT ROWID;
