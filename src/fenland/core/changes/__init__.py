"""Changes: what somebody sends, what that means for a record, and the change that comes of it, as a value.

Nothing here writes anything; what becomes of changes later is `history/`.
"""
