"""Where records are kept. `door.py` is all of it that the rooms above may know; the rest stands behind.

SQLAlchemy and SQL are nowhere else. What only one engine does stands in that engine's folder.
"""
