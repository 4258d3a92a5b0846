-- The formulas under the cells of the spreadsheet that a team brought last to its draft of a sheet; they are handed in with it.
CREATE TABLE IF NOT EXISTS draft_books (
  team_id INT UNSIGNED NOT NULL,
  lab_id INT UNSIGNED NOT NULL,
  body MEDIUMTEXT NOT NULL,
  at DATETIME NOT NULL,
  PRIMARY KEY (team_id, lab_id),
  CONSTRAINT book_of_team FOREIGN KEY (team_id) REFERENCES teams (id),
  CONSTRAINT book_of_lab FOREIGN KEY (lab_id) REFERENCES labs (id)
);
