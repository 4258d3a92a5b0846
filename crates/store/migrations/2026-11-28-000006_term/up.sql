-- Which labs are on the term before anything is in, and which are put away: their tables stay as they are.
ALTER TABLE labs
  ADD COLUMN IF NOT EXISTS on_term_since DATETIME NULL,
  ADD COLUMN IF NOT EXISTS retired_at DATETIME NULL;
-- A student who left is not in lists of marks to come.
ALTER TABLE students
  ADD COLUMN IF NOT EXISTS left_at DATETIME NULL,
  ADD COLUMN IF NOT EXISTS left_why VARCHAR(500) NOT NULL DEFAULT '';
