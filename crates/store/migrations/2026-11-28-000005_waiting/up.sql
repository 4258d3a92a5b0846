-- Whose rows wait in quarantine, and how many of a table do: what they hold is not missing meanwhile.
ALTER TABLE quarantine
  ADD COLUMN IF NOT EXISTS team_id INT UNSIGNED NULL,
  ADD KEY IF NOT EXISTS of_team (team_id, import_id, settled_at);
ALTER TABLE submissions
  ADD COLUMN IF NOT EXISTS waiting INT UNSIGNED NOT NULL DEFAULT 0;
