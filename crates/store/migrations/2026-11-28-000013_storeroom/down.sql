DROP TABLE IF EXISTS storeroom_notes;
