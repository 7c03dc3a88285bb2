-- Serial numbers of devices that are to come, at which site (none: anywhere) and from when on.
CREATE TABLE announced_endpoints(
	serial TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL, site_id TEXT, expected_at INTEGER NOT NULL,
	PRIMARY KEY (serial, since)
) STRICT, WITHOUT ROWID;
-- How devices that call in for the first time are let in, by the site of their address; the empty site stands for addresses of none.
CREATE TABLE endpoint_admissions(
	site TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL, way TEXT NOT NULL CHECK (way IN ('rules', 'list', 'hand')),
	PRIMARY KEY (site, since)
) STRICT, WITHOUT ROWID;
CREATE TRIGGER admissions_came AFTER INSERT ON endpoint_admissions BEGIN UPDATE endpoint_revision SET number = number + 1; END;
CREATE TRIGGER admissions_changed AFTER UPDATE ON endpoint_admissions BEGIN UPDATE endpoint_revision SET number = number + 1; END;
CREATE TRIGGER admissions_went AFTER DELETE ON endpoint_admissions BEGIN UPDATE endpoint_revision SET number = number + 1; END;
