-- What persons changed of each table against the computed score, by field, as `Moved` writes it; empty where it was not
-- judged since.
ALTER TABLE sheets ADD COLUMN IF NOT EXISTS moved VARCHAR(200) NOT NULL DEFAULT '';
ALTER TABLE judged_ahead ADD COLUMN IF NOT EXISTS moved VARCHAR(200) NOT NULL DEFAULT '';
-- From when on what reviewers changed is shown: first to the one it is about.
CREATE TABLE IF NOT EXISTS moderation_rounds (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  term_id INT UNSIGNED NOT NULL DEFAULT 0,
  opened_by INT UNSIGNED NOT NULL,
  opened_at DATETIME NOT NULL,
  CONSTRAINT round_by FOREIGN KEY (opened_by) REFERENCES users (id)
);
-- That a person has read what it says of their own tables, and their word on it.
CREATE TABLE IF NOT EXISTS moderation_words (
  round_id INT UNSIGNED NOT NULL,
  user_id INT UNSIGNED NOT NULL,
  remark VARCHAR(500) NOT NULL,
  read_at DATETIME NOT NULL,
  PRIMARY KEY (round_id, user_id),
  CONSTRAINT word_of_round FOREIGN KEY (round_id) REFERENCES moderation_rounds (id),
  CONSTRAINT word_by FOREIGN KEY (user_id) REFERENCES users (id)
);
-- Tables that somebody else marks a second time, without seeing the first mark.
CREATE TABLE IF NOT EXISTS second_marks (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  sheet_id INT UNSIGNED NOT NULL,
  submission_id INT UNSIGNED NOT NULL,
  user_id INT UNSIGNED NOT NULL,
  at_random BOOLEAN NOT NULL,
  asked_by INT UNSIGNED NOT NULL,
  asked_at DATETIME NOT NULL,
  marked_at DATETIME NULL,
  decisions MEDIUMTEXT NOT NULL,
  first_points DECIMAL(12,6) NOT NULL DEFAULT 0,
  second_points DECIMAL(12,6) NOT NULL DEFAULT 0,
  twice MEDIUMTEXT NOT NULL,
  UNIQUE KEY of_table (submission_id),
  KEY of_person (user_id, marked_at),
  CONSTRAINT second_of_sheet FOREIGN KEY (sheet_id) REFERENCES sheets (id),
  CONSTRAINT second_of_submission FOREIGN KEY (submission_id) REFERENCES submissions (id),
  CONSTRAINT second_by FOREIGN KEY (user_id) REFERENCES users (id),
  CONSTRAINT second_asked_by FOREIGN KEY (asked_by) REFERENCES users (id)
);
