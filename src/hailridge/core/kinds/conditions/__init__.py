"""Tests that a particle passes or fails."""
