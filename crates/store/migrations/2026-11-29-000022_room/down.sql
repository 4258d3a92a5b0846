DROP TABLE IF EXISTS room_readings;
