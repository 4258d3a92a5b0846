-- Scores on their way to the college's gradebook, one a student, lab and time that the sheet went out. A row is sent under a key of
-- its own until an answer says that it arrived, so that it counts once however often it is sent.
CREATE TABLE IF NOT EXISTS outbox (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  student_id INT UNSIGNED NOT NULL,
  lab_id INT UNSIGNED NOT NULL,
  sheet_id INT UNSIGNED NOT NULL,
  number INT UNSIGNED NOT NULL,
  state VARCHAR(12) NOT NULL,
  tries INT UNSIGNED NOT NULL DEFAULT 0,
  next_at DATETIME NOT NULL,
  told VARCHAR(400) NOT NULL DEFAULT '',
  made_at DATETIME NOT NULL,
  sent_at DATETIME NULL,
  KEY of_student (student_id, lab_id, id),
  KEY waiting (state, next_at, id),
  CONSTRAINT score_of_student FOREIGN KEY (student_id) REFERENCES students (id),
  CONSTRAINT score_of_sheet FOREIGN KEY (sheet_id) REFERENCES sheets (id)
);
