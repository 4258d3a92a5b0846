-- Records that stay true: points as decimals, what went out kept whole, a record that shows what was changed in it, jobs
-- that any process may take over, and people who can be let in and shown out.

-- The generated columns go before what they are made from changes its type, and come back after.
ALTER TABLE sheets ADD KEY IF NOT EXISTS of_section (section_id);
ALTER TABLE sheets DROP KEY IF EXISTS queue, DROP KEY IF EXISTS counts, DROP COLUMN IF EXISTS stage, DROP COLUMN IF EXISTS calm;
ALTER TABLE sheets
  MODIFY COLUMN awarded DECIMAL(14,6) NOT NULL,
  MODIFY COLUMN decided DECIMAL(14,6) NOT NULL,
  MODIFY COLUMN possible DECIMAL(14,6) NOT NULL,
  MODIFY COLUMN hanging DECIMAL(14,6) NOT NULL,
  -- The points of every criterion as one digest: two verdicts with the same give a team the same marks.
  ADD COLUMN IF NOT EXISTS outcome CHAR(16) NOT NULL DEFAULT '',
  -- What made the version there is, and who, to be told to whoever came second.
  ADD COLUMN IF NOT EXISTS changed VARCHAR(300) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS changed_by VARCHAR(80) NOT NULL DEFAULT '';
ALTER TABLE sheets
  -- 0 wants a person, 1 looks clear, 2 signed, 3 returned; nothing where no table is in.
  ADD COLUMN IF NOT EXISTS stage TINYINT UNSIGNED AS (CASE WHEN submission_id IS NULL THEN NULL WHEN state = 'signed' THEN 2 WHEN state = 'returned' THEN 3 WHEN open_findings > 0 THEN 0 ELSE 1 END) PERSISTENT,
  -- Less is calmer: an index is read forwards by it and the id.
  ADD COLUMN IF NOT EXISTS calm DECIMAL(14,6) AS (-hanging) PERSISTENT;
ALTER TABLE sheets
  ADD KEY IF NOT EXISTS queue (stage, calm, id),
  ADD KEY IF NOT EXISTS counts (section_id, lab_id, stage, calm),
  ADD KEY IF NOT EXISTS in_hand (taken_by, taken_until);

-- What went out, each time: it is never changed. What judging took besides the protocol stands in `judged_from`, so that a
-- sheet can be shown as its team got it. `kept_outcome` is what a sheet would show now and what somebody decided not to send.
CREATE TABLE IF NOT EXISTS went_out (
  sheet_id INT UNSIGNED NOT NULL,
  number INT UNSIGNED NOT NULL,
  points DECIMAL(14,6) NOT NULL,
  possible DECIMAL(14,6) NOT NULL,
  score_lines MEDIUMTEXT NOT NULL,
  outcome CHAR(16) NOT NULL,
  protocol_id INT UNSIGNED NULL,
  judged_from MEDIUMTEXT NULL,
  user_id INT UNSIGNED NULL,
  at DATETIME NOT NULL,
  reason VARCHAR(500) NOT NULL,
  kept_outcome CHAR(16) NULL,
  PRIMARY KEY (sheet_id, number),
  FOREIGN KEY (sheet_id) REFERENCES sheets (id),
  FOREIGN KEY (protocol_id) REFERENCES protocols (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;
-- The columns are kept, empty of use, so that this statement may be run again.
INSERT IGNORE INTO went_out (sheet_id, number, points, possible, score_lines, outcome, at, reason)
  SELECT id, returns, CAST(returned_points AS DECIMAL(14,6)), possible, COALESCE(returned_lines, '[]'), '', returned_at, ''
  FROM sheets WHERE returns > 0 AND returned_at IS NOT NULL AND returned_points IS NOT NULL;

ALTER TABLE decisions MODIFY COLUMN points DECIMAL(14,6) NULL;

-- Since when a protocol is in force, for whoever is told of it.
ALTER TABLE labs ADD COLUMN IF NOT EXISTS in_force_since DATETIME NULL;

-- A text of the protocols' folder that differs from what is in force and is no newer version: it waits for a person, or
-- was left.
CREATE TABLE IF NOT EXISTS folder_texts (
  slug VARCHAR(60) NOT NULL PRIMARY KEY,
  digest CHAR(64) NOT NULL,
  version INT UNSIGNED NOT NULL,
  source MEDIUMTEXT NOT NULL,
  state VARCHAR(16) NOT NULL,
  seen_at DATETIME NOT NULL
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

-- A record that shows what was changed in it. The events there are stay as they are and are counted by the first strand.
ALTER TABLE events
  MODIFY COLUMN about VARCHAR(400) NOT NULL,
  ADD COLUMN IF NOT EXISTS reason VARCHAR(500) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS strand INT UNSIGNED NULL,
  ADD COLUMN IF NOT EXISTS number INT UNSIGNED NULL,
  ADD COLUMN IF NOT EXISTS before_digest CHAR(64) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS digest CHAR(64) NOT NULL DEFAULT '',
  ADD UNIQUE KEY IF NOT EXISTS place (strand, number);
CREATE TABLE IF NOT EXISTS event_strands (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  begun_at DATETIME NOT NULL
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

-- Long work: which process does it until when. A lease that ran out is free for any process.
CREATE TABLE IF NOT EXISTS jobs (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  kind VARCHAR(16) NOT NULL,
  lab_id INT UNSIGNED NOT NULL,
  import_id INT UNSIGNED NULL,
  protocol_id INT UNSIGNED NULL,
  state VARCHAR(16) NOT NULL,
  done INT UNSIGNED NOT NULL DEFAULT 0,
  total INT UNSIGNED NOT NULL DEFAULT 0,
  outcome VARCHAR(400) NOT NULL DEFAULT '',
  reason VARCHAR(500) NOT NULL DEFAULT '',
  user_id INT UNSIGNED NULL,
  tries INT UNSIGNED NOT NULL DEFAULT 0,
  lease_by CHAR(32) NULL,
  lease_until DATETIME(3) NULL,
  asked_at DATETIME NOT NULL,
  ended_at DATETIME NULL,
  KEY free (state, lease_until),
  KEY of_import (import_id),
  KEY of_lab (lab_id, state)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;
UPDATE imports SET state = 'offered' WHERE state = 'taking';
DROP TABLE IF EXISTS import_progress;

-- What a table will show once the job that judged it anew is switched on, and the version of the sheet it was judged from.
CREATE TABLE IF NOT EXISTS judged_ahead (
  job_id INT UNSIGNED NOT NULL,
  sheet_id INT UNSIGNED NOT NULL,
  version INT UNSIGNED NOT NULL,
  awarded DECIMAL(14,6) NOT NULL,
  decided DECIMAL(14,6) NOT NULL,
  possible DECIMAL(14,6) NOT NULL,
  open_findings INT UNSIGNED NOT NULL,
  hanging DECIMAL(14,6) NOT NULL,
  mark VARCHAR(16) NOT NULL,
  headline VARCHAR(400) NOT NULL,
  profile VARCHAR(400) NOT NULL,
  judged_with CHAR(64) NOT NULL,
  outcome CHAR(16) NOT NULL,
  PRIMARY KEY (job_id, sheet_id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

-- A file is known by who brought it too: what one person put aside is another's to take.
ALTER TABLE imports
  ADD COLUMN IF NOT EXISTS unreadable VARCHAR(600) NOT NULL DEFAULT '',
  ADD UNIQUE KEY IF NOT EXISTS lab_digest_user (lab_id, digest, user_id),
  DROP KEY IF EXISTS lab_digest;

-- What one person said of columns holds for that person's files.
ALTER TABLE column_maps DROP PRIMARY KEY, ADD PRIMARY KEY (lab_id, head, user_id);

-- People who can be let in and shown out. Whoever holds a session from before `epoch` is signed out.
ALTER TABLE users
  ADD COLUMN IF NOT EXISTS epoch INT UNSIGNED NOT NULL DEFAULT 1,
  ADD COLUMN IF NOT EXISTS closed_at DATETIME NULL,
  ADD COLUMN IF NOT EXISTS made_at DATETIME NULL,
  ADD COLUMN IF NOT EXISTS demo TINYINT UNSIGNED NOT NULL DEFAULT 0;
-- One-time links: to choose a first or a new password.
CREATE TABLE IF NOT EXISTS invitations (
  digest CHAR(64) NOT NULL PRIMARY KEY,
  user_id INT UNSIGNED NULL,
  made_by INT UNSIGNED NULL,
  made_at DATETIME NOT NULL,
  until DATETIME NOT NULL,
  used_at DATETIME NULL
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;
-- Refused sign-ins by what they are counted by: a digest of the name and address, or of the address.
CREATE TABLE IF NOT EXISTS sign_in_tries (
  counted_by CHAR(64) NOT NULL PRIMARY KEY,
  tries INT UNSIGNED NOT NULL,
  free_at DATETIME(3) NOT NULL,
  last_at DATETIME(3) NOT NULL,
  KEY last (last_at)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;
