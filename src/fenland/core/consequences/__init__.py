"""What follows from a change: values that are worked out from others.

Here is how they are worked out, on plain values. Which fields are derived, and in which order, definitions
say (`core/definitions/derived.py`); when it is done, `service/records/settling.py` and `following.py`.
"""
