-- A team hands in at the door with a code of its own, of which a digest alone is kept; a new code takes the place of the old.
CREATE TABLE IF NOT EXISTS team_codes (
  team_id INT UNSIGNED NOT NULL PRIMARY KEY,
  digest CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL UNIQUE,
  made_by INT UNSIGNED NULL,
  made_at DATETIME NOT NULL,
  CONSTRAINT code_of_team FOREIGN KEY (team_id) REFERENCES teams (id),
  CONSTRAINT code_by FOREIGN KEY (made_by) REFERENCES users (id)
);
-- What a team typed and has not handed in yet, as the fields of its form.
CREATE TABLE IF NOT EXISTS drafts (
  team_id INT UNSIGNED NOT NULL,
  lab_id INT UNSIGNED NOT NULL,
  body MEDIUMTEXT NOT NULL,
  saved_at DATETIME NOT NULL,
  PRIMARY KEY (team_id, lab_id),
  CONSTRAINT draft_of_team FOREIGN KEY (team_id) REFERENCES teams (id),
  CONSTRAINT draft_of_lab FOREIGN KEY (lab_id) REFERENCES labs (id)
);
-- Each time a team handed in: when, how late, and the digest of the file that it may keep.
CREATE TABLE IF NOT EXISTS hand_ins (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  team_id INT UNSIGNED NOT NULL,
  lab_id INT UNSIGNED NOT NULL,
  import_id INT UNSIGNED NOT NULL,
  digest CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  handed_in_at DATETIME NOT NULL,
  minutes_late INT UNSIGNED NULL,
  KEY of_sheet (team_id, lab_id, id),
  CONSTRAINT hand_in_of_team FOREIGN KEY (team_id) REFERENCES teams (id),
  CONSTRAINT hand_in_of_lab FOREIGN KEY (lab_id) REFERENCES labs (id),
  CONSTRAINT hand_in_file FOREIGN KEY (import_id) REFERENCES imports (id)
);
-- A file that a team brought is nobody's who signs in.
ALTER TABLE imports MODIFY user_id INT UNSIGNED NULL;
