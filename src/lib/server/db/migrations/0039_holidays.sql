-- Days on which a site does not work as on others: a JSON list of {day, name}.
CREATE TABLE site_holidays(
	site_id TEXT NOT NULL REFERENCES sites(id), since INTEGER NOT NULL, until INTEGER NOT NULL, days TEXT NOT NULL, by TEXT NOT NULL,
	PRIMARY KEY (site_id, since)
) STRICT, WITHOUT ROWID;
