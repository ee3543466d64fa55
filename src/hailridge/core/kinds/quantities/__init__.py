"""Values that are read per particle."""
