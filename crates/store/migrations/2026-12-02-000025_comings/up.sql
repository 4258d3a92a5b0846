-- Which student the college's word for somebody is, bound when that student first comes from there; and who else came under the number since.
CREATE TABLE IF NOT EXISTS college_students (
  number VARCHAR(40) NOT NULL PRIMARY KEY,
  subject CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL UNIQUE,
  bound_at DATETIME NOT NULL,
  refused INT UNSIGNED NOT NULL DEFAULT 0,
  refused_at DATETIME NULL
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;
-- When the sessions of a team were ended: those that began before are over.
CREATE TABLE IF NOT EXISTS team_ends (
  team_id INT UNSIGNED NOT NULL PRIMARY KEY,
  ended_at DATETIME NOT NULL,
  CONSTRAINT end_of_team FOREIGN KEY (team_id) REFERENCES teams (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;
