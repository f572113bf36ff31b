"""Serving: the processes, the event loop before the app, and what stands around every request.

No route is here.
"""
