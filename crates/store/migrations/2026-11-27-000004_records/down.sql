SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'There is no way back from 0.2: restore a backup of 0.1.';
