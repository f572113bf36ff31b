"""The heart: what an update means, as pure functions on plain data.

No Flask, no SQLAlchemy, no clock, no files: whoever calls brings the time, the identifiers and the
stored records, and carries out what is decided here.
"""
