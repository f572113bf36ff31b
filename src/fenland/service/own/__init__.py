"""Own code: how a project's `rules.py` is imported (`loading.py`), and its functions run (`running.py`).

What they are given, and what comes of what they give, is known in `core/consequences/calling.py` and where
changes are settled. Nothing here knows records.
"""
