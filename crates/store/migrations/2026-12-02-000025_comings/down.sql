DROP TABLE IF EXISTS team_ends;
DROP TABLE IF EXISTS college_students;
