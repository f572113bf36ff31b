"""Access: who may do what with a record and its fields, as a function, as a condition, and in words.

It is judged on records as they stand; what a change would make of them is for `changes/`.
"""
