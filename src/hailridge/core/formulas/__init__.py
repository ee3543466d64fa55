"""Formulas: a safe part of Python's expression syntax, read, checked, and compiled to a short list of instructions."""
