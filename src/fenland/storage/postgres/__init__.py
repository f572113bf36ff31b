"""PostgreSQL behind the door. Not offered to users yet: it proves that nothing above depends on SQLite."""
