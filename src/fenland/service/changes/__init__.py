"""What becomes of a change: found, settled, followed and written, whichever way it was asked for.

Who asks, and in which form, is for `records/`, `history/` and `files/`; what all of them ask stands here.
"""
