"""Geometry: transforms, triangles, lines and places, and surfaces roughened by noise."""
