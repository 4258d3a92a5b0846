-- The reviewer's evening: the queue, who has which table in hand, what a section sets, students, attachments.

-- What the queue orders by is kept by the database itself, so that it cannot fall out of step.
ALTER TABLE sheets
  ADD COLUMN IF NOT EXISTS section_id INT UNSIGNED NULL AFTER team_id,
  ADD COLUMN IF NOT EXISTS taken_by INT UNSIGNED NULL,
  ADD COLUMN IF NOT EXISTS taken_until DATETIME NULL,
  ADD COLUMN IF NOT EXISTS returned_points VARCHAR(16) NULL,
  ADD COLUMN IF NOT EXISTS returned_lines MEDIUMTEXT NULL,
  ADD COLUMN IF NOT EXISTS returns INT UNSIGNED NOT NULL DEFAULT 0,
  -- 0 wants a person, 1 looks clear, 2 signed, 3 returned; nothing where no table is in.
  ADD COLUMN IF NOT EXISTS stage TINYINT UNSIGNED AS (CASE WHEN submission_id IS NULL THEN NULL WHEN state = 'signed' THEN 2 WHEN state = 'returned' THEN 3 WHEN open_findings > 0 THEN 0 ELSE 1 END) PERSISTENT,
  -- Less is calmer: an index is read forwards by it and the id.
  ADD COLUMN IF NOT EXISTS calm DECIMAL(12,3) AS (-CAST(hanging AS DECIMAL(12,3))) PERSISTENT;
UPDATE sheets JOIN teams ON teams.id = sheets.team_id SET sheets.section_id = teams.section_id;
ALTER TABLE sheets
  MODIFY COLUMN section_id INT UNSIGNED NOT NULL,
  ADD CONSTRAINT sheet_section FOREIGN KEY IF NOT EXISTS (section_id) REFERENCES sections (id),
  ADD KEY IF NOT EXISTS queue (stage, calm, id),
  ADD KEY IF NOT EXISTS counts (section_id, lab_id, stage, calm);

ALTER TABLE decisions ADD COLUMN IF NOT EXISTS text VARCHAR(2000) NOT NULL DEFAULT '';

-- What a section sets for a lab, as the core reads it. The history is kept beside it.
CREATE TABLE IF NOT EXISTS section_labs (
  section_id INT UNSIGNED NOT NULL,
  lab_id INT UNSIGNED NOT NULL,
  version INT UNSIGNED NOT NULL,
  settings MEDIUMTEXT NOT NULL,
  due_at DATETIME NULL,
  PRIMARY KEY (section_id, lab_id),
  FOREIGN KEY (section_id) REFERENCES sections (id),
  FOREIGN KEY (lab_id) REFERENCES labs (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

CREATE TABLE IF NOT EXISTS section_lab_history (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  section_id INT UNSIGNED NOT NULL,
  lab_id INT UNSIGNED NOT NULL,
  version INT UNSIGNED NOT NULL,
  settings MEDIUMTEXT NOT NULL,
  due_at DATETIME NULL,
  reason VARCHAR(500) NOT NULL,
  user_id INT UNSIGNED NOT NULL,
  at DATETIME NOT NULL,
  KEY of_place (section_id, lab_id),
  FOREIGN KEY (user_id) REFERENCES users (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

-- A team is one or more students; marks go out per student.
CREATE TABLE IF NOT EXISTS students (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  team_id INT UNSIGNED NOT NULL,
  number VARCHAR(40) NOT NULL UNIQUE,
  name VARCHAR(120) NOT NULL,
  KEY of_team (team_id),
  FOREIGN KEY (team_id) REFERENCES teams (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

-- A picture or PDF that belongs to a table: a graph, shown working, the paper sheet.
CREATE TABLE IF NOT EXISTS attachments (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  lab_id INT UNSIGNED NOT NULL,
  team_id INT UNSIGNED NOT NULL,
  file_name VARCHAR(200) NOT NULL,
  media VARCHAR(40) NOT NULL,
  digest CHAR(64) NOT NULL,
  body LONGBLOB NOT NULL,
  user_id INT UNSIGNED NOT NULL,
  at DATETIME NOT NULL,
  UNIQUE KEY of_place (lab_id, team_id, digest),
  FOREIGN KEY (lab_id) REFERENCES labs (id),
  FOREIGN KEY (team_id) REFERENCES teams (id),
  FOREIGN KEY (user_id) REFERENCES users (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

-- Which column is which, as a person once said for files with this head.
CREATE TABLE IF NOT EXISTS column_maps (
  lab_id INT UNSIGNED NOT NULL,
  head CHAR(64) NOT NULL,
  map TEXT NOT NULL,
  user_id INT UNSIGNED NOT NULL,
  at DATETIME NOT NULL,
  PRIMARY KEY (lab_id, head),
  FOREIGN KEY (lab_id) REFERENCES labs (id),
  FOREIGN KEY (user_id) REFERENCES users (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

-- A long import says how far it is. Not in `imports`, and without a foreign key: the transaction that takes the file has
-- its row locked, and what is told must be seen before that ends.
CREATE TABLE IF NOT EXISTS import_progress (
  import_id INT UNSIGNED NOT NULL PRIMARY KEY,
  done INT UNSIGNED NOT NULL,
  total INT UNSIGNED NOT NULL,
  outcome VARCHAR(400) NOT NULL
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;
