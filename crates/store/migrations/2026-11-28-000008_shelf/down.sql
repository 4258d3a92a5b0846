ALTER TABLE sheets DROP KEY IF EXISTS queue, DROP KEY IF EXISTS counts, DROP COLUMN IF EXISTS stage;
ALTER TABLE sheets DROP KEY IF EXISTS of_removal, DROP COLUMN IF EXISTS removal_id, DROP COLUMN IF EXISTS term_id;
ALTER TABLE sheets
  ADD COLUMN IF NOT EXISTS stage TINYINT UNSIGNED AS (CASE WHEN submission_id IS NULL THEN NULL WHEN state = 'signed' THEN 2 WHEN state = 'returned' THEN 3 WHEN open_findings > 0 THEN 0 ELSE 1 END) PERSISTENT;
ALTER TABLE sheets ADD KEY IF NOT EXISTS queue (stage, calm, id), ADD KEY IF NOT EXISTS counts (section_id, lab_id, stage, calm);
DROP TABLE IF EXISTS removals, term_labs, terms;
