-- Orders in which tables are read: those of a lab by section and team (Returns), those of the teams that a search names, and
-- the names of stations. Without them all tables of a lab were sorted for the first hundred, and a search read a whole term.
ALTER TABLE sheets
  ADD KEY IF NOT EXISTS of_lab (lab_id, section_id, team_id, stage),
  ADD KEY IF NOT EXISTS of_team (team_id, stage, calm),
  ADD KEY IF NOT EXISTS of_station (station);
ALTER TABLE sheets DROP KEY IF EXISTS team_id;
