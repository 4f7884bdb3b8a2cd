"""Meshes and the stock shapes, in metres, y up."""
