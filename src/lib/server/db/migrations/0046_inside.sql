-- What a publication opens in a browser alone, with no machine: `service/depot`, or `site/tides.example`; null: a desktop or an app.
ALTER TABLE publications ADD COLUMN reaches TEXT;
