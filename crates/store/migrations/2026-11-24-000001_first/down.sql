DROP TABLE settings, events, quarantine, decisions, submissions, sheets, imports, labs, protocols, teams, user_sections, sections, users;
