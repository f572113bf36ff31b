"""What every engine keeps records with. Nothing here knows an engine.

The rooms above know the door alone. Here lies what all topics stand on; each of them has a folder.
"""
