"""What rules do."""
