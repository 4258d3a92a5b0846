-- Decisions about a pattern, in force for every table of a lab that it fits, before and after. A withdrawn one stays.
CREATE TABLE IF NOT EXISTS rulings (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  term_id INT UNSIGNED NOT NULL DEFAULT 0,
  lab_id INT UNSIGNED NOT NULL,
  section_id INT UNSIGNED NULL,
  pattern TEXT NOT NULL,
  reason VARCHAR(500) NOT NULL,
  touched INT UNSIGNED NOT NULL,
  user_id INT UNSIGNED NOT NULL,
  at DATETIME NOT NULL,
  withdrawn_by INT UNSIGNED NULL,
  withdrawn_at DATETIME NULL,
  withdrawn_why VARCHAR(500) NOT NULL DEFAULT '',
  KEY in_force (lab_id, term_id, withdrawn_at),
  FOREIGN KEY (lab_id) REFERENCES labs (id),
  FOREIGN KEY (section_id) REFERENCES sections (id),
  FOREIGN KEY (user_id) REFERENCES users (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;
