"""SQLite behind the door: its connections, its one writer, and what processes share beside the file."""
