"""Records as they are: reading, listing and changing them, one by one and many at once.

What becomes of each change is for `changes/`, how records were for `history/`, files of them for `files/`.
"""
