-- Tokens of a course's own scripts: each is a person's, shown once, and a digest alone is kept.
CREATE TABLE IF NOT EXISTS api_tokens (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  user_id INT UNSIGNED NOT NULL,
  name VARCHAR(80) NOT NULL,
  digest CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL UNIQUE,
  brings BOOL NOT NULL,
  made_at DATETIME NOT NULL,
  until DATETIME NOT NULL,
  used_at DATETIME NULL,
  closed_at DATETIME NULL,
  KEY of_user (user_id),
  CONSTRAINT token_of_user FOREIGN KEY (user_id) REFERENCES users (id)
);
