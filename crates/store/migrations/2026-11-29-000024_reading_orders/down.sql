ALTER TABLE sheets ADD KEY IF NOT EXISTS team_id (team_id);
ALTER TABLE sheets DROP KEY IF EXISTS of_station, DROP KEY IF EXISTS of_team, DROP KEY IF EXISTS of_lab;
