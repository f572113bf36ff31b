"""Passes, which let people without an account see and propose to change stated fields of a record; and
proposals, what came in through them. What a template is, `core/definitions/passes.py` reads; how the page
of a pass is drawn is no concern of this folder.
"""
