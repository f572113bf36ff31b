"""Records as they are: finding, reading, listing and changing them, one by one and many at once.

How they were is for `history/`, files of them for `files/`.
"""
