-- Clashes of packages, and the order in which they win, as they were at any moment.
ALTER TABLE package_clashes RENAME TO package_clashes_before;
CREATE TABLE package_clashes(
	a TEXT NOT NULL, b TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL, total INTEGER NOT NULL, counts TEXT NOT NULL, clashes TEXT NOT NULL,
	PRIMARY KEY (a, b, since)
) STRICT, WITHOUT ROWID;
INSERT INTO package_clashes SELECT a, b, 0, 9007199254740991, total, counts, clashes FROM package_clashes_before;
DROP TABLE package_clashes_before;
CREATE TABLE package_positions(
	name TEXT NOT NULL REFERENCES packages(name), since INTEGER NOT NULL, until INTEGER NOT NULL, position INTEGER NOT NULL, PRIMARY KEY (name, since)
) STRICT, WITHOUT ROWID;
INSERT INTO package_positions SELECT name, made_at, 9007199254740991, position FROM packages;
ALTER TABLE packages DROP COLUMN position;
