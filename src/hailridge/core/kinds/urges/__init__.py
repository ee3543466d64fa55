"""What moves a flock: one behaviour each, handed a share of a limited force by the action *steer*."""
