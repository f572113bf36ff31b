"""Records in tables: their rows, conditions as SQL, and series of numbers."""
