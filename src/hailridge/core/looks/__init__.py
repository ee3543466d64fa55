"""How groups are drawn."""
