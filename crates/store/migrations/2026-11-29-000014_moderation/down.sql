DROP TABLE IF EXISTS second_marks;
DROP TABLE IF EXISTS moderation_words;
DROP TABLE IF EXISTS moderation_rounds;
ALTER TABLE judged_ahead DROP COLUMN IF EXISTS moved;
ALTER TABLE sheets DROP COLUMN IF EXISTS moved;
