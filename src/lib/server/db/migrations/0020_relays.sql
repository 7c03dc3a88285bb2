-- The relay that each gateway hands out to people outside the offices, and where it stands; each as an interval.
CREATE TABLE gateway_relays(
	gateway_id TEXT NOT NULL REFERENCES gateways(id), announced TEXT NOT NULL, stands TEXT NOT NULL,
	since INTEGER NOT NULL, until INTEGER NOT NULL, PRIMARY KEY (gateway_id, since)
) STRICT, WITHOUT ROWID;
