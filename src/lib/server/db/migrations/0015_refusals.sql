-- Where an app could not be started; not known of those before.
ALTER TABLE app_refusals ADD COLUMN machine_id INTEGER REFERENCES machines(id);
