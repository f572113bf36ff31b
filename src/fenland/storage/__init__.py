"""Where records are kept: SQLAlchemy and SQL live here and nowhere else.

What only SQLite can do lives in `sqlite.py` alone.
"""
