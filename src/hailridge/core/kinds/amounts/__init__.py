"""Values that are given: fixed, spread, mapped, over life."""
