"""The computation: particles, randomness, shapes, rules, motion and contact. Knows no web, no database and no interface.

Importing this package loads every registered kind, so that documents can be read.
"""

from hailridge.core.library import load

load()
