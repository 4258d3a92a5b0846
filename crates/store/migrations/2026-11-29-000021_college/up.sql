-- Who somebody is at the college: the name that the coordinator wrote down, and the issuer's own word for the person, as a
-- digest, bound when they first come from there.
CREATE TABLE IF NOT EXISTS college_accounts (
  user_id INT UNSIGNED NOT NULL PRIMARY KEY,
  name VARCHAR(80) NOT NULL UNIQUE,
  subject CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NULL UNIQUE,
  bound_at DATETIME NULL,
  CONSTRAINT college_account_of_user FOREIGN KEY (user_id) REFERENCES users (id)
);
