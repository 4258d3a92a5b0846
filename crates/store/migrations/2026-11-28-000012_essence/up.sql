-- What a class needs of each table (values, keys, cells as typed), so that a lab is looked at without judging it: as
-- `Essence` writes it, empty where it was not judged since.
ALTER TABLE sheets ADD COLUMN IF NOT EXISTS essence MEDIUMTEXT NOT NULL DEFAULT '';
ALTER TABLE judged_ahead ADD COLUMN IF NOT EXISTS essence MEDIUMTEXT NOT NULL DEFAULT '';
