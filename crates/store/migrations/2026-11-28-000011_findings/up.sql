-- Every finding of a table as rulings know it, so that a ruling judges only what it may touch: `;code/item/slip;…;`, or `*`
-- where that would be too long.
ALTER TABLE sheets ADD COLUMN IF NOT EXISTS patterns TEXT NOT NULL DEFAULT '*';
ALTER TABLE judged_ahead ADD COLUMN IF NOT EXISTS patterns TEXT NOT NULL DEFAULT '*';
