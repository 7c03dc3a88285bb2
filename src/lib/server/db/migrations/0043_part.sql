-- Counts up whenever something that decides what is in a part of the estate is written, beside people and teams (directory_revision): what is
-- in a part is worked out anew only then.
CREATE TABLE part_revision(one INTEGER PRIMARY KEY CHECK (one = 1), number INTEGER NOT NULL) STRICT;
INSERT INTO part_revision VALUES (1, 0);
CREATE TRIGGER part_sites AFTER INSERT ON sites BEGIN UPDATE part_revision SET number = number + 1; END;
CREATE TRIGGER part_hosts AFTER INSERT ON hosts BEGIN UPDATE part_revision SET number = number + 1; END;
CREATE TRIGGER part_machines AFTER INSERT ON machines BEGIN UPDATE part_revision SET number = number + 1; END;
CREATE TRIGGER part_machines_moved AFTER UPDATE OF site_id, pool_id ON machines BEGIN UPDATE part_revision SET number = number + 1; END;
CREATE TRIGGER part_owners AFTER UPDATE OF until ON machine_spots WHEN OLD.owner_id IS NOT NULL BEGIN UPDATE part_revision SET number = number + 1; END;
CREATE TRIGGER part_owned AFTER INSERT ON machine_spots BEGIN UPDATE part_revision SET number = number + 1; END;
CREATE TRIGGER part_pools AFTER INSERT ON pools BEGIN UPDATE part_revision SET number = number + 1; END;
CREATE TRIGGER part_pools_ended AFTER UPDATE OF until ON pools BEGIN UPDATE part_revision SET number = number + 1; END;
CREATE TRIGGER part_publications AFTER INSERT ON publications BEGIN UPDATE part_revision SET number = number + 1; END;
CREATE TRIGGER part_publications_ended AFTER UPDATE OF until ON publications BEGIN UPDATE part_revision SET number = number + 1; END;
CREATE TRIGGER part_grants AFTER INSERT ON grants BEGIN UPDATE part_revision SET number = number + 1; END;
CREATE TRIGGER part_grants_ended AFTER UPDATE OF until ON grants BEGIN UPDATE part_revision SET number = number + 1; END;
CREATE TRIGGER part_endpoints AFTER INSERT ON endpoint_facts BEGIN UPDATE part_revision SET number = number + 1; END;
