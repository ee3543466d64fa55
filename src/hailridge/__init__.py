"""Hailridge: particle effects written as sentences, seen as they work."""

__version__ = "0.16.0"

# Part of every stored trial's key: raise it when the same document may give other bytes.
ENGINE_VERSION = "14"
