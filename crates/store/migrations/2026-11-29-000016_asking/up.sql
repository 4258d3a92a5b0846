-- What a team asks on a line of a sheet that went out, and the answer.
CREATE TABLE IF NOT EXISTS questions (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  sheet_id INT UNSIGNED NOT NULL,
  line_key VARCHAR(190) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL,
  says VARCHAR(400) NOT NULL,
  body VARCHAR(1000) NOT NULL,
  asked_at DATETIME NOT NULL,
  answer VARCHAR(1000) NOT NULL DEFAULT '',
  answered_by INT UNSIGNED NULL,
  answered_at DATETIME NULL,
  KEY of_sheet (sheet_id),
  KEY waiting (answered_at, id),
  CONSTRAINT question_on_sheet FOREIGN KEY (sheet_id) REFERENCES sheets (id),
  CONSTRAINT question_answered_by FOREIGN KEY (answered_by) REFERENCES users (id)
);
-- A team brings pictures itself, and says what each shows.
ALTER TABLE attachments MODIFY user_id INT UNSIGNED NULL, ADD COLUMN IF NOT EXISTS about VARCHAR(120) NOT NULL DEFAULT '';
-- A draft is kept with those before it, so that what two phones typed can be joined.
ALTER TABLE drafts ADD COLUMN IF NOT EXISTS version INT UNSIGNED NOT NULL DEFAULT 1,
  ADD COLUMN IF NOT EXISTS handed_in BOOL NOT NULL DEFAULT FALSE, DROP PRIMARY KEY, ADD PRIMARY KEY (team_id, lab_id, version);
