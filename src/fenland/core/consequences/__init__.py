"""What follows from a change: values that are worked out from others, and what effects do.

Here is how, on plain values; where records are found is handed in (`Lookups` of `spreading.py`). Which
fields are derived, and what effects there are, definitions say (`core/definitions/derived.py`, `effects.py`);
when it is done, `service/changes/settling.py` and `following.py`.
"""
