"""Ichnos makes game sound packs from a modder's clips."""

__version__ = "0.1.0"
