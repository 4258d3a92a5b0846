DROP TABLE IF EXISTS questions;
DELETE old FROM drafts old JOIN drafts new USING (team_id, lab_id) WHERE new.version > old.version;
DELETE FROM drafts WHERE handed_in;
ALTER TABLE drafts DROP PRIMARY KEY, ADD PRIMARY KEY (team_id, lab_id), DROP COLUMN version, DROP COLUMN handed_in;
-- What teams brought keeps its place: it becomes a picture of whoever was first.
UPDATE attachments SET user_id = (SELECT MIN(id) FROM users) WHERE user_id IS NULL;
ALTER TABLE attachments MODIFY user_id INT UNSIGNED NOT NULL, DROP COLUMN about;
