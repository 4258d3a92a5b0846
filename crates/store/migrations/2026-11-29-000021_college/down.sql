DROP TABLE IF EXISTS college_accounts;
