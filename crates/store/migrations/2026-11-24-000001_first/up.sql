-- Every statement may be run again: a migration that was cut off goes on where it stopped (tested).
-- Every table has a primary key, so that the schema can live on a Galera cluster.
-- Numbers that were typed, and points, are kept as text: exactly what they are.

CREATE TABLE IF NOT EXISTS users (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  sign_in VARCHAR(60) NOT NULL UNIQUE,
  name VARCHAR(80) NOT NULL,
  role VARCHAR(16) NOT NULL,
  password_hash VARCHAR(255) NOT NULL
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

CREATE TABLE IF NOT EXISTS sections (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(80) NOT NULL UNIQUE,
  position INT NOT NULL
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

CREATE TABLE IF NOT EXISTS user_sections (
  user_id INT UNSIGNED NOT NULL,
  section_id INT UNSIGNED NOT NULL,
  PRIMARY KEY (user_id, section_id),
  FOREIGN KEY (user_id) REFERENCES users (id),
  FOREIGN KEY (section_id) REFERENCES sections (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

CREATE TABLE IF NOT EXISTS teams (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  section_id INT UNSIGNED NOT NULL,
  name VARCHAR(80) NOT NULL,
  UNIQUE KEY section_name (section_id, name),
  FOREIGN KEY (section_id) REFERENCES sections (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

CREATE TABLE IF NOT EXISTS protocols (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  slug VARCHAR(60) NOT NULL,
  version INT UNSIGNED NOT NULL,
  digest CHAR(64) NOT NULL UNIQUE,
  title VARCHAR(120) NOT NULL,
  source MEDIUMTEXT NOT NULL,
  loaded_at DATETIME NOT NULL,
  KEY slug_version (slug, version)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

CREATE TABLE IF NOT EXISTS labs (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  slug VARCHAR(60) NOT NULL UNIQUE,
  protocol_id INT UNSIGNED NOT NULL,
  FOREIGN KEY (protocol_id) REFERENCES protocols (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

CREATE TABLE IF NOT EXISTS imports (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  lab_id INT UNSIGNED NOT NULL,
  user_id INT UNSIGNED NOT NULL,
  file_name VARCHAR(200) NOT NULL,
  digest CHAR(64) NOT NULL,
  body LONGBLOB NOT NULL,
  state VARCHAR(16) NOT NULL,
  offered_at DATETIME NOT NULL,
  taken_at DATETIME NULL,
  UNIQUE KEY lab_digest (lab_id, digest),
  FOREIGN KEY (lab_id) REFERENCES labs (id),
  FOREIGN KEY (user_id) REFERENCES users (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

-- A sheet is one team's place in one lab. What the Docket shows is kept in step in the transaction that changes it.
CREATE TABLE IF NOT EXISTS sheets (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  lab_id INT UNSIGNED NOT NULL,
  team_id INT UNSIGNED NOT NULL,
  submission_id INT UNSIGNED NULL,
  version INT UNSIGNED NOT NULL,
  state VARCHAR(16) NOT NULL,
  station VARCHAR(40) NOT NULL,
  awarded VARCHAR(16) NOT NULL,
  decided VARCHAR(16) NOT NULL,
  possible VARCHAR(16) NOT NULL,
  open_findings INT UNSIGNED NOT NULL,
  hanging VARCHAR(16) NOT NULL,
  mark VARCHAR(16) NOT NULL,
  headline VARCHAR(400) NOT NULL,
  profile VARCHAR(400) NOT NULL,
  judged_with CHAR(64) NOT NULL,
  signed_by INT UNSIGNED NULL,
  signed_at DATETIME NULL,
  returned_at DATETIME NULL,
  UNIQUE KEY lab_team (lab_id, team_id),
  KEY lab_state (lab_id, state),
  FOREIGN KEY (lab_id) REFERENCES labs (id),
  FOREIGN KEY (team_id) REFERENCES teams (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

-- Never changed after intake: a correction is a new revision.
CREATE TABLE IF NOT EXISTS submissions (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  sheet_id INT UNSIGNED NOT NULL,
  revision INT UNSIGNED NOT NULL,
  import_id INT UNSIGNED NOT NULL,
  body MEDIUMTEXT NOT NULL,
  digest CHAR(64) NOT NULL,
  handed_in_at DATETIME NOT NULL,
  UNIQUE KEY sheet_revision (sheet_id, revision),
  FOREIGN KEY (sheet_id) REFERENCES sheets (id),
  FOREIGN KEY (import_id) REFERENCES imports (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

-- Decisions are events: an undone one stays.
CREATE TABLE IF NOT EXISTS decisions (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  submission_id INT UNSIGNED NOT NULL,
  finding VARCHAR(160) NOT NULL,
  action VARCHAR(16) NOT NULL,
  points VARCHAR(16) NULL,
  reason VARCHAR(500) NOT NULL,
  user_id INT UNSIGNED NOT NULL,
  decided_at DATETIME NOT NULL,
  undone_at DATETIME NULL,
  KEY of_submission (submission_id),
  FOREIGN KEY (submission_id) REFERENCES submissions (id),
  FOREIGN KEY (user_id) REFERENCES users (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

CREATE TABLE IF NOT EXISTS quarantine (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  import_id INT UNSIGNED NOT NULL,
  line_number INT UNSIGNED NOT NULL,
  column_number INT UNSIGNED NOT NULL,
  code VARCHAR(40) NOT NULL,
  what VARCHAR(600) NOT NULL,
  mend VARCHAR(600) NOT NULL,
  body TEXT NOT NULL,
  settled_at DATETIME NULL,
  settled_by INT UNSIGNED NULL,
  KEY of_import (import_id),
  FOREIGN KEY (import_id) REFERENCES imports (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

-- Append-only: who did what.
CREATE TABLE IF NOT EXISTS events (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  at DATETIME NOT NULL,
  user_id INT UNSIGNED NULL,
  what VARCHAR(40) NOT NULL,
  about VARCHAR(160) NOT NULL,
  KEY about_at (about, at)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

CREATE TABLE IF NOT EXISTS settings (
  name VARCHAR(60) NOT NULL PRIMARY KEY,
  value TEXT NOT NULL
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;
