"""What the command line does, one module a command; `hailridge.cli` declares their options."""
