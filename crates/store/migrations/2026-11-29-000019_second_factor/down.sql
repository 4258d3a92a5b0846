DROP TABLE IF EXISTS second_factors;
