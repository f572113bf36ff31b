"""What every engine keeps records with. Nothing here knows an engine.

The rooms above know the door alone.
"""
