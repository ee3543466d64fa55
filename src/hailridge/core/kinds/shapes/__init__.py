"""Shapes and their geometry."""
