-- Where a machine lies is its spot; where it stands is its site; which disk the page file is on says so.
ALTER TABLE machine_places RENAME TO machine_spots;
ALTER TABLE shipment_places RENAME TO shipment_sites;
ALTER TABLE pools RENAME COLUMN page_place TO page_file_on;
UPDATE findings SET kind = 'site not in order' WHERE kind = 'place not in order';
-- Answers on the way to a joined site: what the site is like, and what its provider calls it.
UPDATE joinings SET answers = json_set(json_remove(answers, '$.place'), '$.particulars', json(json_extract(answers, '$.place')))
	WHERE json_type(answers, '$.place') IS NOT NULL;
UPDATE joinings SET answers = json_set(json_remove(answers, '$.account.offer.place'), '$.account.offer.site', json_extract(answers, '$.account.offer.place'))
	WHERE json_type(answers, '$.account.offer.place') IS NOT NULL;
-- Folders that an app made for itself.
UPDATE captures SET summary = json_set(json_remove(summary, '$.places'), '$.folders', json(json_extract(summary, '$.places')))
	WHERE summary IS NOT NULL AND json_type(summary, '$.places') IS NOT NULL;
