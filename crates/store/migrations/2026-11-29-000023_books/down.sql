DROP TABLE IF EXISTS draft_books;
