DROP TRIGGER sheets_stage_new;
DROP TRIGGER sheets_stage_changed;
ALTER TABLE sheets
  MODIFY COLUMN stage TINYINT UNSIGNED AS (CASE WHEN submission_id IS NULL THEN NULL WHEN state = 'signed' THEN 2 WHEN state = 'returned' THEN 3 WHEN open_findings > 0 THEN 0 ELSE 1 END) PERSISTENT,
  MODIFY COLUMN calm DECIMAL(12,3) AS (-CAST(hanging AS DECIMAL(12,3))) PERSISTENT;
