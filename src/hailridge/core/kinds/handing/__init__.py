"""What children get of their parents beyond what the table of attributes hands on: one class a sort of it."""
