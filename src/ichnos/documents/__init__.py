"""Documents as trees over their own text: every node knows its span.

One module per format turns text into the same small tree (:mod:`ichnos.documents.tree`).
Fill, read and merge are written once over that tree, in :mod:`ichnos.games`.
"""
