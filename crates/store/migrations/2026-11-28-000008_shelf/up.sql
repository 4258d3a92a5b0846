-- Terms that have ended: what belongs to one bears its number, what belongs to the term that runs bears 0, so that nothing
-- that is added has to say so.
CREATE TABLE IF NOT EXISTS terms (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(80) NOT NULL UNIQUE,
  ended_at DATETIME NOT NULL,
  ended_by INT UNSIGNED NULL,
  FOREIGN KEY (ended_by) REFERENCES users (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;
-- The protocol that was in force for each lab when the term ended: its tables are shown by it.
CREATE TABLE IF NOT EXISTS term_labs (
  term_id INT UNSIGNED NOT NULL,
  lab_id INT UNSIGNED NOT NULL,
  protocol_id INT UNSIGNED NOT NULL,
  PRIMARY KEY (term_id, lab_id),
  FOREIGN KEY (term_id) REFERENCES terms (id),
  FOREIGN KEY (lab_id) REFERENCES labs (id),
  FOREIGN KEY (protocol_id) REFERENCES protocols (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

ALTER TABLE sections
  ADD COLUMN IF NOT EXISTS term_id INT UNSIGNED NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS closed_at DATETIME NULL,
  ADD UNIQUE KEY IF NOT EXISTS term_name (term_id, name),
  DROP KEY IF EXISTS name;
ALTER TABLE students
  ADD COLUMN IF NOT EXISTS term_id INT UNSIGNED NOT NULL DEFAULT 0,
  ADD UNIQUE KEY IF NOT EXISTS term_number (term_id, number),
  DROP KEY IF EXISTS number;
ALTER TABLE imports
  ADD COLUMN IF NOT EXISTS term_id INT UNSIGNED NOT NULL DEFAULT 0,
  ADD UNIQUE KEY IF NOT EXISTS lab_digest_user_term (lab_id, digest, user_id, term_id),
  DROP KEY IF EXISTS lab_digest_user;

-- What was taken out, why, and whether it was brought back: one table, or all tables of a lab.
CREATE TABLE IF NOT EXISTS removals (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  lab_id INT UNSIGNED NOT NULL,
  whole_lab BOOLEAN NOT NULL,
  reason VARCHAR(500) NOT NULL,
  user_id INT UNSIGNED NOT NULL,
  at DATETIME NOT NULL,
  back_at DATETIME NULL,
  KEY since (back_at, at),
  FOREIGN KEY (lab_id) REFERENCES labs (id),
  FOREIGN KEY (user_id) REFERENCES users (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

-- A table of a term that has ended, or that was taken out, stands in no queue and in no list of marks: it has no stage.
ALTER TABLE sheets DROP KEY IF EXISTS queue, DROP KEY IF EXISTS counts, DROP COLUMN IF EXISTS stage;
ALTER TABLE sheets
  ADD COLUMN IF NOT EXISTS term_id INT UNSIGNED NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS removal_id INT UNSIGNED NULL,
  ADD KEY IF NOT EXISTS of_removal (removal_id);
ALTER TABLE sheets
  -- 0 wants a person, 1 looks clear, 2 signed, 3 returned; nothing where no table is in.
  ADD COLUMN IF NOT EXISTS stage TINYINT UNSIGNED AS (CASE WHEN submission_id IS NULL OR term_id <> 0 OR removal_id IS NOT NULL THEN NULL WHEN state = 'signed' THEN 2 WHEN state = 'returned' THEN 3 WHEN open_findings > 0 THEN 0 ELSE 1 END) PERSISTENT;
ALTER TABLE sheets
  ADD KEY IF NOT EXISTS queue (stage, calm, id),
  ADD KEY IF NOT EXISTS counts (section_id, lab_id, stage, calm);
