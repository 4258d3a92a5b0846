-- Practice: classes whose truth is known, beside the course. Nothing of them enters the Docket, a mark or a count.
CREATE TABLE IF NOT EXISTS practice_examples (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  lab_id INT UNSIGNED NOT NULL,
  protocol_id INT UNSIGNED NOT NULL,
  says VARCHAR(300) NOT NULL,
  body MEDIUMTEXT NOT NULL,
  truth MEDIUMTEXT NOT NULL,
  user_id INT UNSIGNED NOT NULL,
  at DATETIME NOT NULL,
  closed_at DATETIME NULL,
  KEY of_lab (lab_id, protocol_id),
  CONSTRAINT example_of_lab FOREIGN KEY (lab_id) REFERENCES labs (id),
  CONSTRAINT example_of_protocol FOREIGN KEY (protocol_id) REFERENCES protocols (id),
  CONSTRAINT example_of_user FOREIGN KEY (user_id) REFERENCES users (id)
);
CREATE TABLE IF NOT EXISTS practice_classes (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  user_id INT UNSIGNED NOT NULL,
  lab_id INT UNSIGNED NOT NULL,
  protocol_id INT UNSIGNED NOT NULL,
  kind VARCHAR(12) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  begun_at DATETIME NOT NULL,
  ended_at DATETIME NULL,
  planted INT UNSIGNED NOT NULL DEFAULT 0,
  found INT UNSIGNED NOT NULL DEFAULT 0,
  KEY of_user (user_id, ended_at),
  CONSTRAINT practice_of_user FOREIGN KEY (user_id) REFERENCES users (id),
  CONSTRAINT practice_of_lab FOREIGN KEY (lab_id) REFERENCES labs (id),
  CONSTRAINT practice_of_protocol FOREIGN KEY (protocol_id) REFERENCES protocols (id)
);
CREATE TABLE IF NOT EXISTS practice_tables (
  class_id INT UNSIGNED NOT NULL,
  number INT UNSIGNED NOT NULL,
  body MEDIUMTEXT NOT NULL,
  truth MEDIUMTEXT NOT NULL,
  decisions MEDIUMTEXT NOT NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  opened_at DATETIME NULL,
  signed_at DATETIME NULL,
  PRIMARY KEY (class_id, number),
  CONSTRAINT practice_table_of_class FOREIGN KEY (class_id) REFERENCES practice_classes (id)
);
