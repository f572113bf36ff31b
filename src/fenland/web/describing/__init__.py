"""The OpenAPI document: made of the routes, a row each (`web/http/route.py`), and of the schemas that stand here.

What a route takes and answers with is said in its row and nowhere else; here is how rows become operations,
and the schemas that they name. Nothing here answers a request.
"""
