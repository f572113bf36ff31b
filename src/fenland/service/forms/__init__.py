"""What screens ask beside the records: forms, choices, who may do what, what an expression gives.

Nothing here writes.
"""
