-- A second factor to sign in with: the secret that a person's device shares, once confirmed, and the last step of time that a code
-- was taken of, so that no code serves twice.
CREATE TABLE IF NOT EXISTS second_factors (
  user_id INT UNSIGNED NOT NULL PRIMARY KEY,
  secret CHAR(40) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  confirmed_at DATETIME NULL,
  last_step BIGINT UNSIGNED NOT NULL DEFAULT 0,
  CONSTRAINT second_factor_of FOREIGN KEY (user_id) REFERENCES users (id)
);
