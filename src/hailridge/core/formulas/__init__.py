"""Formulas: a safe part of Python's expression syntax, evaluated over arrays."""
