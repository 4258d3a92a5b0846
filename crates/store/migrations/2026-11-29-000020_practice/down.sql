DROP TABLE IF EXISTS practice_tables;
DROP TABLE IF EXISTS practice_classes;
DROP TABLE IF EXISTS practice_examples;
