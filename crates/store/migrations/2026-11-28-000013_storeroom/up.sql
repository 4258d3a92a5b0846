-- Notes for the storeroom: what was seen at a station, a fork, a batch, for whoever looks after the apparatus.
CREATE TABLE IF NOT EXISTS storeroom_notes (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  lab_id INT UNSIGNED NOT NULL,
  key_id VARCHAR(80) NOT NULL,
  at_value VARCHAR(80) NOT NULL,
  body VARCHAR(500) NOT NULL,
  user_id INT UNSIGNED NOT NULL,
  written_at DATETIME NOT NULL,
  done_by INT UNSIGNED NULL,
  done_at DATETIME NULL,
  KEY open (done_at, lab_id),
  CONSTRAINT storeroom_of_lab FOREIGN KEY (lab_id) REFERENCES labs (id),
  CONSTRAINT storeroom_by FOREIGN KEY (user_id) REFERENCES users (id),
  CONSTRAINT storeroom_done_by FOREIGN KEY (done_by) REFERENCES users (id)
);
