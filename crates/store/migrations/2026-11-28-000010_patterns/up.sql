-- What a table waits for most, as rulings know it, so that the Docket tells what many wait for alike.
ALTER TABLE sheets
  ADD COLUMN IF NOT EXISTS pattern VARCHAR(160) NOT NULL DEFAULT '',
  ADD KEY IF NOT EXISTS alike (stage, lab_id, pattern, section_id);
ALTER TABLE judged_ahead
  ADD COLUMN IF NOT EXISTS pattern VARCHAR(160) NOT NULL DEFAULT '';
