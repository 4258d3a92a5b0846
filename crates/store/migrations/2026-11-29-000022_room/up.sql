-- Readings that a team types in the room, by phone: they join while the team measures, and are gone after an hour.
CREATE TABLE IF NOT EXISTS room_readings (
  team_id INT UNSIGNED NOT NULL,
  lab_id INT UNSIGNED NOT NULL,
  phone CHAR(16) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  body TEXT NOT NULL,
  at DATETIME NOT NULL,
  PRIMARY KEY (team_id, lab_id, phone),
  KEY by_age (at),
  CONSTRAINT room_of_team FOREIGN KEY (team_id) REFERENCES teams (id),
  CONSTRAINT room_of_lab FOREIGN KEY (lab_id) REFERENCES labs (id)
);
