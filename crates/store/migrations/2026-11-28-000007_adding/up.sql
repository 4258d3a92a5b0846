-- Whether the tables of a file take the place of those there, instead of adding to them.
ALTER TABLE imports
  ADD COLUMN IF NOT EXISTS replaces BOOLEAN NOT NULL DEFAULT FALSE;
