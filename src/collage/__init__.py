"""Collage: a look-development studio."""

__version__ = "0.1.0"
