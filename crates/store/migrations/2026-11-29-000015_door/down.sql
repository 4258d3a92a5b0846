-- What teams handed in keeps its place: it becomes a file of whoever was first.
UPDATE imports SET user_id = (SELECT MIN(id) FROM users) WHERE user_id IS NULL;
ALTER TABLE imports MODIFY user_id INT UNSIGNED NOT NULL;
DROP TABLE IF EXISTS hand_ins;
DROP TABLE IF EXISTS drafts;
DROP TABLE IF EXISTS team_codes;
