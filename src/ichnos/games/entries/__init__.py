"""Entries of documents: filling an exemplar, reading a real file through it, editing that."""
