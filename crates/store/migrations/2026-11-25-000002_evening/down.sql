DROP TABLE import_progress;
DROP TABLE column_maps;
DROP TABLE attachments;
DROP TABLE students;
DROP TABLE section_lab_history;
DROP TABLE section_labs;
ALTER TABLE decisions DROP COLUMN text;
ALTER TABLE sheets DROP FOREIGN KEY of_section, DROP KEY queue, DROP KEY counts, DROP COLUMN stage, DROP COLUMN calm,
  DROP COLUMN returned_points, DROP COLUMN returned_lines, DROP COLUMN returns, DROP COLUMN taken_by, DROP COLUMN taken_until, DROP COLUMN section_id;
